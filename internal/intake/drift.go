package intake

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"github.com/agnivade/levenshtein"

	"ambertray/internal/source"
	"ambertray/internal/table"
)

// Drift is how the columns of a part differ from those of the first.
type Drift struct {
	Part    string   `json:"part"`
	Missing []string `json:"missing"` // columns of the first part that it does not have
	Extra   []string `json:"extra"`   // columns that only it has
	// Renamed are those of Missing in whose place stands one of Extra.
	Renamed []Change `json:"renamed"`
	// Retyped are columns whose values are of another sort. Only a survey knows.
	Retyped []Change `json:"retyped"`
	Moved   bool     `json:"moved"` // they are in another order
	// WrittenAs are the settings of the part's own layout, if the part lacks fewer columns in that
	// layout. The other fields then describe the part in that layout, and it is not loaded.
	WrittenAs []SetAs `json:"-"`
}

// Change is what something in the first part is in another one: the heading of a
// column, or the sort of its values.
type Change struct {
	Column string `json:"column"` // its heading in the first part
	Was    string `json:"was"`
	Is     string `json:"is"`
}

// Unmatched returns the columns of Missing and Extra that are not renamed. They are the
// caller's own.
func (d *Drift) Unmatched() (missing, extra []string) {
	missing, extra = slices.Clone(d.Missing), slices.Clone(d.Extra)
	for _, c := range d.Renamed {
		missing = slices.DeleteFunc(missing, func(h string) bool { return h == c.Was })
		extra = slices.DeleteFunc(extra, func(h string) bool { return h == c.Is })
	}
	return missing, extra
}

func (d *Drift) String() string {
	var how []string
	if d.WrittenAs != nil {
		how = append(how, joined(d.WrittenAs))
	}
	for _, c := range d.Renamed {
		how = append(how, fmt.Sprintf("%s in place of %s", c.Is, c.Was))
	}
	missing, extra := d.Unmatched()
	if len(missing) > 0 {
		how = append(how, listed("missing column", missing))
	}
	if len(extra) > 0 {
		how = append(how, listed("extra column", extra))
	}
	for _, c := range d.Retyped {
		how = append(how, fmt.Sprintf("%s: %s instead of %s", c.Column, c.Is, c.Was))
	}
	if d.Moved {
		how = append(how, "columns in another order")
	}
	return strings.Join(how, "; ")
}

// DiffersFrom says how the part differs from another one, or from a plan.
func (d *Drift) DiffersFrom(other string) string {
	if d.WrittenAs != nil {
		return fmt.Sprintf("%s has another layout than %s: %s", d.Part, other, d.String())
	}
	return fmt.Sprintf("the columns of %s differ from those of %s: %s", d.Part, other, d.String())
}

// listed names one column or several.
func listed(what string, columns []string) string {
	if len(columns) > 1 {
		what += "s"
	}
	more := ""
	if len(columns) > maxListed {
		more = fmt.Sprintf(" and %d more", len(columns)-maxListed)
	}
	return what + " " + strings.Join(columns[:min(len(columns), maxListed)], ", ") + more
}

// maxListed is how many columns an error names.
const maxListed = 20

// DriftError says that the parts of a source differ in their columns, and how.
type DriftError struct {
	First string
	Parts []Drift
}

func (e *DriftError) Error() string {
	if len(e.Parts) == 1 {
		return e.Parts[0].DiffersFrom(e.First)
	}
	var text strings.Builder
	fmt.Fprintf(&text, "the columns of %d parts differ from those of %s:", len(e.Parts), e.First)
	for _, p := range e.Parts {
		fmt.Fprintf(&text, "\n  %s: %s", p.Part, p.String())
	}
	return text.String()
}

// order is where the cells of a part are: those of all headings, by their index
// in its records. The zero order leaves them where they are.
type order struct {
	width int
	cells []int
}

// drift compares the headings of the parts with those of the first. Where that
// is wanted the headings become those of all, and the cells of each part are put
// in their order.
func (in *Intake) drift() error {
	if len(in.Parts) > 1 && in.plan.Headings != nil {
		d := in.compare(&in.Parts[0], in.required(in.plan.Headings, nil))
		if d.WrittenAs != nil {
			return &DriftError{"the plan", []Drift{d}}
		}
	}
	first := in.required(in.Parts[0].Headings, in.Parts[0].spacers)
	for i := range in.Parts[1:] {
		p := &in.Parts[i+1]
		if !slices.Equal(in.required(p.Headings, p.spacers), first) {
			in.Drift = append(in.Drift, in.compare(p, first))
		}
	}
	otherLayout := slices.ContainsFunc(in.Drift, func(d Drift) bool { return d.WrittenAs != nil })
	if otherLayout || in.Drift != nil && in.Layout.Drift != source.DriftFill {
		return &DriftError{in.Parts[0].Title(), in.Drift}
	}
	more := slices.Clone(in.plan.Optional)
	for _, p := range in.Parts {
		more = append(more, p.Headings...)
	}
	known := map[string]bool{}
	for _, h := range in.Headings {
		known[h] = true
	}
	for _, h := range more {
		if !known[h] {
			known[h] = true
			in.Headings = append(in.Headings, h)
		}
	}
	in.reorder()
	return nil
}

// required returns those of the headings that all parts must have.
func (in *Intake) required(headings, spacers []string) []string {
	return table.Without(headings, slices.Concat(in.plan.Optional, in.plan.LeftOut, spacers))
}

// compare says how the required headings of a part differ from those that are wanted.
func (in *Intake) compare(p *Part, want []string) Drift {
	as := func(read *Part) Drift {
		return Compare(p.Title(), want, in.required(read.Headings, read.spacers))
	}
	return as(p).AsWritten(in.ctx, in.opener, p.Name, &in.Layout, in.plan, func(alone *Intake) Drift { return as(&alone.Parts[0]) })
}

// Spacers returns the headings of columns without a name and a value that the plan does not have.
func (in *Intake) Spacers() (headings []string) {
	for i := range in.Parts {
		headings = append(headings, table.Without(in.Parts[i].spacers, headings)...)
	}
	return headings
}

// reorder puts the cells of each part in the order of all headings, where one has
// another.
func (in *Intake) reorder() {
	if !slices.ContainsFunc(in.Parts, func(p Part) bool { return !slices.Equal(p.Headings, in.Headings) }) {
		return
	}
	for i := range in.Parts {
		o := order{width: len(in.Parts[i].Headings)}
		for _, h := range in.Headings {
			o.cells = append(o.cells, slices.Index(in.Parts[i].Headings, h))
		}
		in.orders = append(in.orders, o)
	}
}

// Compare says how the headings of a part differ from those that are wanted.
func Compare(part string, want, got []string) Drift {
	d := Drift{Part: part, Missing: table.Without(want, got), Extra: table.Without(got, want)}
	d.Moved = d.Missing == nil && d.Extra == nil
	d.Renamed = renamed(want, got, d.Missing, d.Extra)
	return d
}

// renamed pairs what is missing with what there is more: by likeness, and else by place or
// where only one is left.
func renamed(want, got, missing, more []string) (pairs []Change) {
	left := slices.Clone(more)
	pair := func(was, is string) {
		pairs = append(pairs, Change{was, was, is})
		left = slices.DeleteFunc(left, func(h string) bool { return h == is })
	}
	for _, h := range missing {
		like := Likest(h, left)
		if like != "" {
			pair(h, like)
		}
	}
	for i, h := range want {
		switch {
		case !slices.Contains(missing, h) || slices.ContainsFunc(pairs, func(c Change) bool { return c.Was == h }):
		case i < len(got) && slices.Contains(left, got[i]):
			pair(h, got[i])
		case len(missing) == 1 && len(left) == 1:
			pair(h, left[0])
		}
	}
	slices.SortStableFunc(pairs, func(a, b Change) int { return slices.Index(want, a.Was) - slices.Index(want, b.Was) })
	return pairs
}

// Likest returns the heading that is so much like another that it is likely to be the
// same column, "" where none is: it has all words of the other, or hardly another letter.
func Likest(heading string, others []string) (best string) {
	plain, own := letters(heading), words(heading)
	nearest := len(plain)/3 + 1
	for _, o := range others {
		theirs := words(o)
		d := levenshtein.ComputeDistance(plain, letters(o))
		if within(own, theirs) || within(theirs, own) {
			d = min(d, 1)
		}
		if d < nearest {
			best, nearest = o, d
		}
	}
	return best
}

// within reports whether all words are among others.
func within(some, others []string) bool {
	return len(some) > 0 && !slices.ContainsFunc(some, func(w string) bool { return !slices.Contains(others, w) })
}

// words returns the words of a heading or of the name of a column, in lower case.
func words(heading string) []string {
	return strings.FieldsFunc(strings.ToLower(heading), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// letters returns the letters and digits of a heading, in lower case.
func letters(heading string) string { return strings.Join(words(heading), "") }
