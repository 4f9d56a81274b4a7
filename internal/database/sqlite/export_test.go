package sqlite

// SetBounds sets the bounds of fast loads.
func (t *Target) SetBounds(many, first, late int) { t.bounds = bounds{many, first, late} }
