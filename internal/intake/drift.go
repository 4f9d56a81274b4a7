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
	Moved   bool     `json:"moved"`   // they are in another order
}

func (d *Drift) String() string {
	var how []string
	switch {
	case len(d.Missing) == 1 && len(d.More) == 1:
		how = append(how, fmt.Sprintf("it has %s in place of %s", d.More[0], d.Missing[0]))
	case d.Missing != nil && d.More != nil:
		how = append(how, "it has no "+strings.Join(d.Missing, ", "), "it has more: "+strings.Join(d.More, ", "))
	case d.Missing != nil:
		how = append(how, "it has no "+strings.Join(d.Missing, ", "))
	case d.More != nil:
		how = append(how, "it has more: "+strings.Join(d.More, ", "))
	default:
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
// in its records of so many cells. The zero order leaves them where they are.
type order struct {
	width int
	cells []int
}

// drift holds the headings of the parts against those of the first. Where that
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
	return d
}
