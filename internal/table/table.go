package table

import (
	"fmt"
	"math"
	"regexp"
	"slices"
)

// Table is what a plan makes of a source.
type Table struct {
	Name    string
	Key     []string   // names of the columns of the primary key
	Indexes [][]string // names of the columns of each index
	Comment string
	Columns []Column
	Allow   Allowance // of rejects
	// Existing is what to do with an existing table.
	Existing Existing
	// ByPosition fits the columns to those of an existing table by their
	// order, and not by their names.
	ByPosition bool
	// CreateSchema creates the schema in the table's name if it does not exist.
	CreateSchema bool
	// OnlyNew leaves out the files and sheets of a source that the table has
	// already.
	OnlyNew bool
}

// Existing is what a load does with an existing table.
type Existing string

// Refuse leaves it alone, Append adds to it, Empty takes its rows out first,
// Rebuild drops and creates it, Merge updates the rows whose key is there and inserts
// the others.
const (
	Refuse  Existing = ""
	Append  Existing = "append"
	Empty   Existing = "empty"
	Rebuild Existing = "rebuild"
	Merge   Existing = "merge"
)

var existings = []Existing{Refuse, Append, Empty, Rebuild, Merge}

// ExistingWords returns the words for what a load does with an existing table.
func ExistingWords() (words []string) {
	for _, e := range existings {
		words = append(words, e.String())
	}
	return words
}

// ParseExisting reads the word for it.
func ParseExisting(word string) (Existing, error) {
	for _, e := range existings {
		if e.String() == word {
			return e, nil
		}
	}
	return Refuse, fmt.Errorf("existing %q: write refuse, append, empty, rebuild or merge", word)
}

func (e Existing) String() string {
	if e == Refuse {
		return "refuse"
	}
	return string(e)
}

// Column is one column of the table and the rules that fill it.
type Column struct {
	From string // heading in the source
	// Also are other headings that the column has had, each in place of From.
	Also []string
	// Optional columns may be missing in a source: they are NULL then, or the default.
	Optional bool
	Value    string // template of a computed column, which has no From
	Name     string // name in the table
	Type     Type
	Nullable bool
	LeaveOut bool // the source has it, the table does not
	Blank    bool // it is left out because it has no value; records with one are rejected

	Format    string   // of dates and times, as a Unicode pattern
	Zone      string   // in which timestamps without an offset are local times, "" if they have one
	Thousands string   // the sign between groups of digits, if any
	Decimal   string   // the decimal sign; "" is the point
	Currency  string   // the code or sign of the currency that numbers may bear
	Percent   bool     // numbers bear a percent sign and are kept as fractions
	NullWords []string // texts that mean 'no value', in any letter case

	// TrueWords and FalseWords are the words of a boolean, in any letter case;
	// without any the well-known ones are. Whole numbers have them where a boolean is loaded
	// into an existing column of these.
	TrueWords, FalseWords []string

	Trim       bool              // white space at both ends is taken off
	Words      map[string]string // texts that stand for others, in any letter case
	PadZeros   int               // digits get zeros before them up to this width
	LetterCase string            // upper or lower; "" leaves letters as they are
	Default    *string           // what a blank cell is read as, and DEFAULT in the table
	Comment    string            // kept in the table where the server has comments
	// References is the column of another table that has every value of this one, nil
	// without a foreign key.
	References *Reference

	// Round lets an existing column of floating point round what it cannot give
	// back unchanged; Exact means that the column exists and may not.
	Round, Exact bool
	// Digits is how many digits codes have: with fewer they have lost leading zeros. 0 is
	// any number.
	Digits int
	// Limit is what an existing column takes of the values of its type; nil is all.
	Limit *Limit
}

// Summable reports whether the sum of values of the type is one of them: that of a
// whole number or a decimal.
func (t Type) Summable() bool { return t.Whole() || t.Kind == Decimal }

// Limit is a range of the values of a type. Least and Greatest are as the values
// are held: whole numbers, or microseconds since 1970.
type Limit struct {
	Native          string // the server's name for the type
	Step            int64  // microseconds that it is a multiple of, where that is not a fraction
	Least, Greatest int64
	OneOf           []string // the only texts, if there are any
	// Number returns why the column does not take a decimal, by its digits without the point, or ""; it is nil
	// where only the range counts.
	Number func(digits int64) (why string)
	// Text returns a text as the column gives it back, or why the column does not take it.
	// It is nil where nothing but the length counts.
	Text func(text []byte) (stored []byte, why string)
}

// WholeRange returns a limit of a type that takes every value with its digits of a second.
func WholeRange(native string) *Limit {
	return &Limit{Native: native, Least: math.MinInt64, Greatest: math.MaxInt64}
}

// Loaded returns the columns that the table has.
func (t *Table) Loaded() []Column {
	var cols []Column
	for _, c := range t.Columns {
		if !c.LeaveOut {
			cols = append(cols, c)
		}
	}
	return cols
}

// Column returns the column with the given name in the table, or nil.
func (t *Table) Column(name string) *Column {
	for i := range t.Columns {
		c := &t.Columns[i]
		if !c.LeaveOut && c.Name == name {
			return c
		}
	}
	return nil
}

// HasColumns reports whether the table has all columns with some names.
func (t *Table) HasColumns(names []string) bool {
	return !slices.ContainsFunc(names, func(name string) bool { return t.Column(name) == nil })
}

// Reference is what a foreign key refers to.
type Reference struct{ Table, Column string }

var referenceText = regexp.MustCompile(`^\s*([^()]+?)\s*\(\s*([^()]+?)\s*\)\s*$`)

// ParseReference reads TABLE(COLUMN).
func ParseReference(text string) (*Reference, error) {
	m := referenceText.FindStringSubmatch(text)
	if m == nil {
		return nil, fmt.Errorf("references %q: write TABLE(COLUMN), such as specimens(specimen_no)", text)
	}
	return &Reference{m[1], m[2]}, nil
}

func (r *Reference) String() string { return r.Table + "(" + r.Column + ")" }

// References reports whether a column of the table has a foreign key.
func (t *Table) References() bool {
	return slices.ContainsFunc(t.Columns, func(c Column) bool { return !c.LeaveOut && c.References != nil })
}

// Places returns the place of each heading, of equal ones that of the first.
func Places(headings []string) map[string]int {
	at := make(map[string]int, len(headings))
	for i, h := range slices.Backward(headings) {
		at[h] = i
	}
	return at
}

// Without returns the headings that are not among others, nil without any.
func Without(headings, others []string) (rest []string) {
	at := Places(others)
	for _, h := range headings {
		_, ok := at[h]
		if !ok {
			rest = append(rest, h)
		}
	}
	return rest
}

// ReadsFrom reports whether the column has the cells below a heading of the source.
func (c *Column) ReadsFrom(heading string) bool {
	return c.Value == "" && (heading == c.From || slices.Contains(c.Also, heading))
}

// OtherHeadings returns the other headings of the columns, and what each is read as.
func (t *Table) OtherHeadings() map[string]string {
	also := map[string]string{}
	for _, c := range t.Columns {
		for _, h := range c.Also {
			also[h] = c.From
		}
	}
	return also
}
