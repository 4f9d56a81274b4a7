package load

import (
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/note"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// MismatchError says that the plan does not fit the existing table.
type MismatchError struct {
	Table   string
	Columns []Verdict // those that cannot be loaded
}

func (e *MismatchError) Error() string {
	var why strings.Builder
	for _, v := range e.Columns {
		fmt.Fprintf(&why, "\n  %s: %s", v.Name, v.Why)
	}
	return fmt.Sprintf("the plan does not fit table %s:%s", e.Table, why.String())
}

// Verdict says whether every value of a column converts, and otherwise how many
// records are rejected for it and why.
type Verdict struct {
	Name    string `json:"name"`
	Type    string `json:"type"`
	Verdict string `json:"verdict"` // fits, rejects or cannot
	Why     string `json:"why"`
}

// Verdicts: every value fits, or the column does not. A column may also reject some.
const (
	Fits   = "fits"
	Cannot = "cannot"
)

// fit compares a plan with the columns of the existing table, by their
// names or, where the plan says so, their order. It returns the plan with the types that the table has, so that what
// does not fit a column is rejected before the server sees it, and the columns
// that cannot be loaded at all.
func fit(plan *table.Table, live []database.ColumnInfo, d *dialect.Dialect) (*table.Table, []Verdict) {
	fitted := *plan
	fitted.Columns, fitted.Key = nil, slices.Clone(plan.Key)
	var bad []Verdict
	planned := map[string]bool{}
	for n, c := range plan.Loaded() {
		i := indexOf(&c, n, live, plan.ByPosition)
		if i < 0 {
			bad = append(bad, lacking(plan, &c))
			continue
		}
		k := slices.Index(plan.Key, c.Name)
		if k >= 0 {
			fitted.Key[k] = live[i].Name
		}
		planned[live[i].Name] = true
		why := fitColumn(&c, &live[i], d)
		if why != "" {
			bad = append(bad, Verdict{c.Name, c.Type.String(), Cannot, why})
		}
		fitted.Columns = append(fitted.Columns, c)
	}
	for _, l := range live {
		if !planned[l.Name] && !l.Nullable && !l.Default && !l.Generated {
			bad = append(bad, Verdict{l.Name, l.Native, Cannot, "is NOT NULL without a default and would get no value"})
		}
	}
	return &fitted, bad
}

// fitNotes returns notes on the columns of the table that get no value, and on those that get booleans as 1 and 0.
func fitNotes(plan, fitted *table.Table, live []database.ColumnInfo) (notes []note.Note) {
	var unfilled, numbers []string
	for _, l := range live {
		at := slices.IndexFunc(fitted.Columns, func(c table.Column) bool { return c.Name == l.Name })
		switch {
		case at < 0 && !l.Default && !l.Generated:
			unfilled = append(unfilled, l.Name)
		case at >= 0 && fitted.Columns[at].Type.Kind != table.Boolean && plan.Loaded()[at].Type.Kind == table.Boolean:
			numbers = append(numbers, l.Name)
		}
	}
	if unfilled != nil {
		notes = append(notes, note.About("columns of the table that are not in the plan, and are NULL in new rows: "+note.Names(unfilled)))
	}
	if numbers != nil {
		notes = append(notes, note.About("true and false are loaded as 1 and 0, as the table has columns of numbers: "+note.Names(numbers)))
	}
	return notes
}

// missing lists the columns of a plan that the table lacks.
func missing(plan *table.Table, live []database.ColumnInfo) (bad []Verdict) {
	for n, c := range plan.Loaded() {
		if indexOf(&c, n, live, plan.ByPosition) < 0 {
			bad = append(bad, lacking(plan, &c))
		}
	}
	return bad
}

func lacking(plan *table.Table, c *table.Column) Verdict {
	why := "the table has no such column"
	if plan.ByPosition {
		why = "the table has fewer columns"
	}
	return Verdict{c.Name, c.Type.String(), Cannot, why}
}

// indexOf returns the index of the table's column for the nth column that a plan loads, by its name or
// by its position, or -1.
func indexOf(c *table.Column, n int, live []database.ColumnInfo, byPosition bool) int {
	if byPosition {
		return position(live, n)
	}
	return slices.IndexFunc(live, func(l database.ColumnInfo) bool { return strings.EqualFold(l.Name, c.Name) })
}

// position returns the index of the nth column that takes values, or -1.
func position(live []database.ColumnInfo, n int) int {
	for i, l := range live {
		if l.Generated {
			continue
		}
		if n == 0 {
			return i
		}
		n--
	}
	return -1
}

// fitColumn gives a column of the plan the type and the name that it has in the
// table, or says why it cannot have them.
func fitColumn(c *table.Column, l *database.ColumnInfo, d *dialect.Dialect) (why string) {
	own := d.Stored(c.Type).Kind != c.Type.Kind // the server has no such type, and holds it as another
	into := l.Type
	if l.Whole != nil && c.Type.Whole() {
		into = l.Whole
	}
	switch {
	case l.Generated:
		return "the server computes it; leave it out of the plan"
	case !l.Known:
		return fmt.Sprintf("type %s is not supported", l.Native)
	case into != nil && c.Type.Kind == table.Boolean && into.Summable() && into.Scale == 0:
		numberTruth(c)
	case into != nil && !holds(*into, c.Type) && !(own && holds(*into, d.Stored(c.Type))):
		return fmt.Sprintf("is %s in the table; write that type in the tray if the values can be read as such", l.Native) + zoneNeeded(c, into)
	}
	c.Name = l.Name
	if l.AnyNumber {
		switch {
		case c.Type.Whole():
			c.Type = table.Type{Kind: table.Decimal, Size: table.MaxPrecision}
		case c.Type.Kind != table.Decimal:
			return fmt.Sprintf("is %s in the table; write decimal(p,s) in the tray, with the digits of the values", l.Native)
		}
	}
	switch {
	case into == nil:
	case !own, into.Kind == c.Type.Kind, into.Numeric() && c.Type.Numeric(), into.Kind == table.Boolean:
		c.Type = *into
	default:
		c.Type = c.Type.WithFraction(min(c.Type.Fraction(), into.Fraction()))
	}
	if l.Doubles && c.Type.Kind == table.Decimal && d.Stored(c.Type).Kind != table.Decimal {
		c.Type = table.Type{Kind: table.Double}
	}
	c.Limit = l.Limit
	if c.Limit == nil && c.Type.Fraction() < table.Micros {
		c.Limit = table.WholeRange(l.Native)
	}
	c.Exact = c.Type.Kind == table.Double && !c.Round
	c.Nullable = c.Nullable && l.Nullable
	return ""
}

// numberTruth makes a boolean a whole number whose words are read as 1 and 0.
func numberTruth(c *table.Column) {
	c.Type = table.Type{Kind: table.SmallInt}
	if len(c.TrueWords) == 0 {
		c.TrueWords, c.FalseWords = value.BooleanWords()
	}
}

// zoneNeeded is what else must be written for timestamps without an offset in a column of moments.
func zoneNeeded(c *table.Column, into *table.Type) string {
	if c.Type.Kind != table.Timestamp || into.Kind != table.TimestampTZ {
		return ""
	}
	return ", and their time zone, such as zone: Europe/Berlin"
}

// holds reports whether values that are planned as one type can be written as
// another, if need be with some of them rejected, and lose nothing.
func holds(live, planned table.Type) bool {
	switch {
	case live.Textual():
		return planned.Textual() || planned.Kind == table.UUID
	case live.Numeric():
		return planned.Numeric()
	case live.Kind == table.Boolean && (planned.Textual() || planned.Whole()):
		return true // takes only the words for true and false, and 0 and 1
	}
	return live.Kind == planned.Kind
}
