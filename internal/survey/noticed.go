package survey

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/intake"
	"ambertray/internal/record"
	"ambertray/internal/sheet"
	"ambertray/internal/source"
	"ambertray/internal/value"
)

// Notice is what was noticed in a part, and in how many others the same was.
type Notice struct {
	Oddity
	Others int
}

// Elsewhere says in how many other parts the same was noticed.
func (n *Notice) Elsewhere() string {
	if n.Others == 0 {
		return ""
	}
	return fmt.Sprintf(", and in %d other parts", n.Others)
}

// Notices returns what was noticed, the same in several parts only once.
func (s *Survey) Notices() (list []Notice) {
	for _, n := range s.Noticed {
		i := slices.IndexFunc(list, func(o Notice) bool {
			return o.What == n.What && *cmp.Or(o.Column, new(string)) == *cmp.Or(n.Column, new(string))
		})
		if i < 0 {
			list = append(list, Notice{Oddity: n})
			continue
		}
		list[i].Others++
	}
	return list
}

// notice takes in what the reading of a part has shown besides its records.
func (w *surveying) notice(p *intake.Part) {
	if line := w.survey.Layout.HeaderLine; p.HeaderLine != line {
		w.survey.Noticed = append(w.survey.Noticed, Oddity{p.Title(), p.HeaderLine, nil, fmt.Sprintf("the header is here, and not on %s %d as in the first", w.survey.Layout.LineWord(), line)})
	}
	f := p.Facts
	if f == nil {
		return
	}
	w.survey.Used = f.Used.String()
	note := func(row int, heading, what string, values ...any) {
		w.survey.Noticed = append(w.survey.Noticed, Oddity{p.Title(), int64(row), optional(heading), fmt.Sprintf(what, values...)})
	}
	fate := "taken; --hidden leave leaves them out"
	if w.survey.Layout.Hidden == source.HiddenLeave {
		fate = "left out"
	}
	if f.HiddenRows > 0 {
		note(f.FirstHidden, "", "hidden rows with values: %d, %s", f.HiddenRows, fate)
	}
	if len(f.HiddenColumns) > 0 {
		note(f.Used.FirstRow, "", "hidden columns with values: %s, %s", lettersOf(f.HiddenColumns), fate)
	}
	w.noticeMerged(f, note)
	if f.Formulas > 0 {
		note(f.FirstFormula, "", "formulas without a value: %d, read as their text; a spreadsheet program works them out and saves what comes of it", f.Formulas)
	}
	for i, m := range f.Mixed {
		if m.Texts > 0 && m.Numbers > m.Texts && i < len(p.Headings) {
			note(m.FirstText, p.Headings[i], "numbers stored as text: %d, beside %d stored as numbers; they are read alike", m.Texts, m.Numbers)
		}
	}
}

// noticeMerged tells of merged cells among the records.
func (w *surveying) noticeMerged(f *sheet.Facts, note func(int, string, string, ...any)) {
	var within []sheet.Cells
	for _, c := range f.Merged {
		if int64(c.FirstRow) >= w.survey.Layout.FirstDataLine && c.Meets(f.Used) {
			within = append(within, c)
		}
	}
	if within == nil {
		return
	}
	where := "the value is in the first cell of each; --merged each puts it into all of them"
	if w.survey.Layout.Merged == source.MergedEach {
		where = "the value is put into all cells of each"
	}
	note(within[0].FirstRow, "", "merged cells among the records: %d, the first %s; %s", len(within), within[0], where)
}

// maxNamed is how many columns a note names.
const maxNamed = 8

// lettersOf names columns by their letters.
func lettersOf(columns []int) string {
	var letters []string
	for _, c := range columns {
		if len(letters) == maxNamed {
			return strings.Join(letters, " ") + fmt.Sprintf(" and %d more", len(columns)-maxNamed)
		}
		letters = append(letters, sheet.Letters(c))
	}
	return strings.Join(letters, " ")
}

// newTable returns the row of a batch at which another table seems to begin, or
// 0: behind a blank row, with several texts, one of which stands above or below
// what is none.
func newTable(b *record.Batch) int64 {
	if b.Skipped[record.Blank] == 0 {
		return 0
	}
	for r := 1; r+1 < b.Len(); r++ {
		if b.Line(r-1)+1 < b.Line(r) && b.Line(r)+1 == b.Line(r+1) && isHeading(b, r) {
			return b.Line(r)
		}
	}
	return 0
}

// isHeading tells whether a record reads like a header among its neighbours.
func isHeading(b *record.Batch, r int) bool {
	texts, other := 0, false
	for c := range b.Width(r) {
		cell := b.Cell(r, c)
		if value.Blank(cell) {
			continue
		}
		if !isText(cell) {
			return false
		}
		texts++
		for _, near := range []int{r - 1, r + 1} {
			other = other || c < b.Width(near) && !value.Blank(b.Cell(near, c)) && !isText(b.Cell(near, c))
		}
	}
	return texts > 1 && other
}

func isText(cell []byte) bool {
	var v value.Value
	kind := value.Scan(cell, &v).Kind
	return kind == value.Text || kind == value.Boolean && len(cell) > 1 // a heading such as No
}
