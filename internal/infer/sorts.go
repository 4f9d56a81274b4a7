package infer

import "ambertray/internal/value"

// Sorts counts the values of a column by what people call their sort, by which
// parts of a source are compared.
type Sorts [len(sortNames)]int64

var sortNames = [...]string{"text", "numbers", "codes", "booleans", "dates", "times", "UUIDs"}

// sortOf is the index of each kind in Sorts; a null word has no index.
var sortOf = [...]int{
	value.Text: 0, value.Integer: 1, value.Decimal: 1, value.Exponent: 1, value.Code: 2, value.Boolean: 3,
	value.Date: 4, value.Timestamp: 4, value.Instant: 4, value.Impossible: 4, value.Time: 5, value.UUID: 6, value.NullWord: -1,
}

// Sorts returns the counts so far.
func (p *Column) Sorts() (s Sorts) {
	for i := range p.tallies {
		n := sortOf[p.tallies[i].shape.Kind]
		if n >= 0 {
			s[n] += p.tallies[i].count
		}
	}
	return s
}

// Add adds other counts.
func (s *Sorts) Add(o Sorts) {
	for i := range s {
		s[i] += o[i]
	}
}

// Since returns what was counted since an earlier time.
func (s Sorts) Since(before Sorts) Sorts {
	for i := range s {
		s[i] -= before[i]
	}
	return s
}

// Main names the sort of more than half of the values, and is "" where there is
// none. Whole numbers beside codes are codes whose first digit is not 0.
func (s *Sorts) Main() string {
	all := int64(0)
	for _, n := range s {
		all += n
	}
	if s[1] > 0 && s[2] > 0 {
		return "codes"
	}
	for i, n := range s {
		if 2*n > all {
			return sortNames[i]
		}
	}
	return ""
}
