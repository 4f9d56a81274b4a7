package intake

import (
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/source"
)

// Drift is how the columns of a part differ from those of the first.
type Drift struct {
	Part    string   `json:"part"`
	Missing []string `json:"missing"` // what it does not have
	More    []string `json:"more"`    // what it has besides
	// Renamed are those of Missing in whose place stands one of More.
	Renamed []Change `json:"renamed"`
	// Retyped are columns whose values are of another sort. Only a survey knows.
	Retyped []Change `json:"retyped"`
	Moved   bool     `json:"moved"` // they are in another order
}

// Change is what something in the first part is in another one: the heading of a
// column, or the sort of its values.
type Change struct {
	Column string `json:"column"` // its heading in the first part
	Was    string `json:"was"`
	Is     string `json:"is"`
}

func (d *Drift) String() string {
	var how []string
	missing, more := slices.Clone(d.Missing), slices.Clone(d.More)
	for _, c := range d.Renamed {
		how = append(how, fmt.Sprintf("it has %s in place of %s", c.Is, c.Was))
		missing = slices.DeleteFunc(missing, func(h string) bool { return h == c.Was })
		more = slices.DeleteFunc(more, func(h string) bool { return h == c.Is })
	}
	if len(missing) > 0 {
		how = append(how, "it has no "+strings.Join(missing, ", "))
	}
	if len(more) > 0 {
		how = append(how, "it has more: "+strings.Join(more, ", "))
	}
	for _, c := range d.Retyped {
		how = append(how, fmt.Sprintf("%s has %s, and not %s", c.Column, c.Is, c.Was))
	}
	if d.Moved {
		how = append(how, "they are in another order")
	}
	return strings.Join(how, "; ")
}

// DriftError says that the parts of a source differ in their columns, and how.
type DriftError struct {
	First string
	Parts []Drift
}

func (e *DriftError) Error() string {
	if len(e.Parts) == 1 {
		return fmt.Sprintf("the columns of %s are not those of %s: %s", e.Parts[0].Part, e.First, e.Parts[0].String())
	}
	var text strings.Builder
	fmt.Fprintf(&text, "the columns of %d parts are not those of %s:", len(e.Parts), e.First)
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
	first := in.Parts[0].Headings
	for i := range in.Parts[1:] {
		if p := &in.Parts[i+1]; !slices.Equal(p.Headings, first) {
			in.Drift = append(in.Drift, drifted(p.Title(), first, p.Headings))
		}
	}
	if in.Drift == nil {
		return nil
	}
	if in.Layout.Drift != source.DriftFill {
		return &DriftError{in.Parts[0].Title(), in.Drift}
	}
	for _, d := range in.Drift {
		for _, h := range d.More {
			if !slices.Contains(in.Headings, h) {
				in.Headings = append(in.Headings, h)
			}
		}
	}
	for i := range in.Parts {
		o := order{width: len(in.Parts[i].Headings)}
		for _, h := range in.Headings {
			o.cells = append(o.cells, slices.Index(in.Parts[i].Headings, h))
		}
		in.orders = append(in.orders, o)
	}
	return nil
}

func drifted(part string, want, got []string) Drift {
	d := Drift{Part: part}
	for _, h := range want {
		if !slices.Contains(got, h) {
			d.Missing = append(d.Missing, h)
		}
	}
	for _, h := range got {
		if !slices.Contains(want, h) {
			d.More = append(d.More, h)
		}
	}
	d.Moved = d.Missing == nil && d.More == nil
	for i, h := range want {
		switch {
		case !slices.Contains(d.Missing, h):
		case i < len(got) && slices.Contains(d.More, got[i]):
			d.Renamed = append(d.Renamed, Change{h, h, got[i]})
		case len(d.Missing) == 1 && len(d.More) == 1:
			d.Renamed = append(d.Renamed, Change{h, h, d.More[0]})
		}
	}
	return d
}
