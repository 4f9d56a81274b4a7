// Package sheetrows reads the rows of sheets, which package sheet writes as text
// between separators of its own.
package sheetrows

import (
	"ambertray/internal/delimited"
	"ambertray/internal/frame"
	"ambertray/internal/record"
	"ambertray/internal/sheet"
	"ambertray/internal/source"
	"ambertray/internal/text"
)

// Format is the format of sheets.
var Format = text.Format{NewCutter: newCutter}

func newCutter(source.Layout) (text.Cutter, error) {
	return delimited.NewRows(sheet.CellEnd, sheet.RowEnd, frame.Rules{
		Special: map[string]record.Rule{string(sheet.HiddenRow): record.Hidden}, Outside: string(sheet.OutsideRow), Sparse: true,
	}), nil
}

// Detect returns the layout of the rows that begin with head: what is left to find
// is the header. whole says that the sheet ends there. override, unless nil, sets
// what the user has set. The score says nothing: a sheet is nothing else.
func Detect(head []byte, whole bool, override func(*source.Layout)) (lay source.Layout, score float64) {
	lay = source.Layout{Format: source.Sheet, FindFooter: true, Overrides: []string{}}
	if override == nil {
		override = func(*source.Layout) {}
	}
	override(&lay)
	lay.Format = source.Sheet
	lay.Fix()
	head, whole = text.FirstLines(head, whole, string(rune(sheet.RowEnd)), frame.HeadRows)
	c, err := newCutter(lay)
	if err != nil {
		return lay, 0
	}
	c.Expect(text.Expected{Fill: frame.Widest(text.CutText(c, head, whole))})
	h := frame.NewHead(text.CutText(c, head, whole))
	h.Sparse = true
	h.Widen()
	h.FindHeader(&lay)
	lay.Overrides = lay.Overrides[:0]
	override(&lay)
	return lay, 1
}
