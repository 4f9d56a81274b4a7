package infer

import (
	"cmp"
	"slices"

	"ambertray/internal/record"
)

// Origin is where the values of a column come from, as people call it.
type Origin struct {
	Parts []string // titles of the files or sheets
	Sheet bool     // their lines are the rows of sheets
	Table bool     // they are the rows of a table, counted from 1
}

// Example is a value and the place where it stands.
type Example struct {
	Text   string  `json:"text"`
	Source *string `json:"source"` // title of the part, nil where the source has only one
	Line   int64   `json:"line"`   // of the record; of a table, its number
	part   int
	record int64
	row    bool
}

func (o *Origin) example(cell []byte, b *record.Batch, r int) Example {
	e := Example{Text: record.Clip(cell), Line: b.Line(r), part: b.Part, record: b.Number(r), row: o.Sheet || o.Table}
	if o.Table {
		e.Line = e.record
	}
	if len(o.Parts) > 1 {
		e.Source = &o.Parts[b.Part]
	}
	return e
}

// Place says where the value stands, such as "on line 5" or "on row 5 of rooms.xlsx".
func (e *Example) Place() string {
	place := "on line "
	if e.row {
		place = "on row "
	}
	place += group(e.Line)
	if e.Source != nil {
		place += " of " + *e.Source
	}
	return place
}

// compare orders examples as their records come.
func (e *Example) compare(o *Example) int {
	return cmp.Or(cmp.Compare(e.part, o.part), cmp.Compare(e.record, o.record))
}

func inOrder(list []Example) {
	slices.SortFunc(list, func(a, b Example) int { return a.compare(&b) })
}
