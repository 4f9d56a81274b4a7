package intake

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/note"
	"ambertray/internal/record"
	"ambertray/internal/sheet"
	"ambertray/internal/source"
	"ambertray/internal/value"
)

// Notes returns notes on a part that was read to its end: on a record where the plan has a title
// or a line that describes the columns, and in a sheet on hidden rows and columns, merged cells,
// formulas without a value, and numbers stored as text.
func (p *Part) Notes(lay *source.Layout) (list []note.Note) {
	add := func(row int, heading, what string, values ...any) {
		n := note.Counted(fmt.Sprintf(what, values...))
		n.Source, n.Line = new(p.Title()), int64(row)
		if heading != "" {
			n.Column = &heading
		}
		list = append(list, n)
	}
	if p.insteadOf != "" {
		add(0, "", "the workbook has no sheet %q; its only sheet with values is read", p.insteadOf)
	}
	switch {
	case p.recordLine > 0 && p.HeaderLine > 0:
		add(int(p.recordLine), "", "read as a record, although the plan skips the line (description_lines: %d)", lay.DescriptionLines)
	case p.recordLine > 0:
		add(int(p.recordLine), "", "skipped as a title, but looks like a record; --first-data-line %d reads it", p.recordLine)
	}
	f := p.Facts
	if f == nil {
		return list
	}
	fate := "taken; --hidden leave leaves them out"
	if lay.Hidden == source.HiddenLeave {
		fate = "left out"
	}
	if f.HiddenRows > 0 {
		add(f.FirstHidden, "", "hidden rows with values: %d, %s", f.HiddenRows, fate)
	}
	if len(f.HiddenColumns) > 0 {
		add(f.Used.FirstRow, "", "hidden columns with values: %s, %s", lettersOf(f.HiddenColumns), fate)
	}
	merged := p.merged()
	if len(merged) > 0 {
		where := "the value is in the first cell of each; --merged each puts it into all of them"
		if lay.Merged == source.MergedEach {
			where = "the value is put into all cells of each"
		}
		add(merged[0].FirstRow, "", "merged cells among the records: %d, the first %s; %s", len(merged), merged[0], where)
	}
	if f.Formulas > 0 {
		add(f.FirstFormula, "", "formulas without a value: %d, read as their text; a spreadsheet program works them out and saves what comes of it", f.Formulas)
	}
	for i, m := range f.Mixed {
		if m.Texts > 0 && m.Numbers > m.Texts && i < len(p.Headings) {
			add(m.FirstText, p.Headings[i], "numbers stored as text: %d, next to %d stored as numbers; all are read in the same way", m.Texts, m.Numbers)
		}
	}
	return list
}

// merged returns the merged cells among the records.
func (p *Part) merged() (within []sheet.Cells) {
	first := max(p.FirstDataLine, p.HeaderLine+1)
	for _, c := range p.Facts.Merged {
		if int64(c.FirstRow) >= first && c.Meets(p.Facts.Used) {
			within = append(within, c)
		}
	}
	return within
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

// SheetsLeftOut returns a note on the sheets of workbooks that are not read because they are
// hidden or have no value, although the layout says to read them.
func SheetsLeftOut(ctx context.Context, from *source.Opener, files []string, lay *source.Layout) (list []note.Note, err error) {
	word := ""
	if slices.Contains(lay.Overrides, "sheet") {
		word = lay.Sheet
	}
	var names []string
	for _, file := range files {
		book, err := from.Book(ctx, file)
		if err != nil {
			return nil, err
		}
		if book != nil {
			names = append(names, sheet.LeftOut(book.Sheets, word)...)
		}
	}
	if names != nil {
		list = append(list, note.Counted("sheets without a value, or hidden, are left out: "+strings.Join(names, ", ")))
	}
	return list, nil
}

// NewTable returns a note on the row of a batch at which another table seems to begin: after a
// blank row, and perhaps a title, with several texts, one of which stands above or below what is
// not a table.
func NewTable(b *record.Batch, part string) []note.Note {
	if b.Skipped[record.Blank] == 0 {
		return nil
	}
	for r := 1; r+1 < b.Len(); r++ {
		if !isBelowGap(b, r) {
			continue
		}
		header := r
		if isTitle(b, r) && !isBelowGap(b, r+1) {
			header++
		}
		if header+1 < b.Len() && !isBelowGap(b, header+1) && isHeading(b, header) {
			n := note.Counted("another table seems to begin here; --cells takes one of them")
			n.Source, n.Line = &part, b.Line(r)
			return []note.Note{n}
		}
	}
	return nil
}

func isBelowGap(b *record.Batch, r int) bool { return b.Line(r-1)+1 < b.Line(r) }

// isTitle reports whether a record has one value, which is a text.
func isTitle(b *record.Batch, r int) bool {
	texts := 0
	for c := range b.Width(r) {
		cell := b.Cell(r, c)
		if value.Blank(cell) {
			continue
		}
		if texts > 0 || !isText(cell) {
			return false
		}
		texts++
	}
	return texts == 1
}

// isHeading reports whether a record reads like a header among its neighbours.
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
