package survey

import (
	"slices"

	"ambertray/internal/intake"
)

// noteRetyped adds to the drift the columns whose values are of another sort
// than in the first part that has any.
func (w *surveying) noteRetyped() {
	for c, heading := range w.headings {
		was := ""
		for part := range w.sorts {
			is := w.sorts[part][c].Main()
			switch {
			case is == "":
			case was == "":
				was = is
			case is != was:
				d := w.driftOf(part)
				d.Retyped = append(d.Retyped, intake.Change{Column: heading, Was: was, Is: is})
			}
		}
	}
	slices.SortStableFunc(w.survey.Drift, func(a, b intake.Drift) int { return slices.Index(w.parts, a.Part) - slices.Index(w.parts, b.Part) })
}

// driftOf returns the drift of a part, which may have had none so far.
func (w *surveying) driftOf(part int) *intake.Drift {
	name := w.parts[part]
	i := slices.IndexFunc(w.survey.Drift, func(d intake.Drift) bool { return d.Part == name })
	if i < 0 {
		i = len(w.survey.Drift)
		w.survey.Drift = append(w.survey.Drift, intake.Drift{Part: name})
	}
	return &w.survey.Drift[i]
}
