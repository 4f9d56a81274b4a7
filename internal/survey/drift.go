package survey

import (
	"slices"

	"ambertray/internal/infer"
	"ambertray/internal/intake"
)

// sortsFor returns where the sorts of a batch's values are counted, if the parts
// of the source are to be compared.
func (w *surveying) sortsFor(columns int) []infer.Sorts {
	if len(w.parts) < 2 {
		return nil
	}
	return make([]infer.Sorts, columns)
}

// addSorts takes in the sorts of a batch's values.
func (w *surveying) addSorts(part int, sorts []infer.Sorts) {
	if sorts == nil {
		return
	}
	if w.sorts[part] == nil {
		w.sorts[part] = make([]infer.Sorts, len(sorts))
	}
	for c := range sorts {
		w.sorts[part][c].Add(infer.Sorts{}, sorts[c])
	}
}

// noteRetyped adds to the drift the columns whose values are of another sort
// than in the first part that has any.
func (w *surveying) noteRetyped() {
	if len(w.parts) < 2 {
		return
	}
	for c, heading := range w.headings {
		was := ""
		for part := range w.sorts {
			is := ""
			if w.sorts[part] != nil {
				is = w.sorts[part][c].Main()
			}
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
