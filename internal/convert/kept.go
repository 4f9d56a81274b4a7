package convert

import (
	"path/filepath"
	"strings"

	"ambertray/internal/record"
	"ambertray/internal/value"
)

// Where the first cells of a record in a file of rejects say what it was in its
// source: the name of that, its number and its line, which are KeptPlace cells
// in all, then what was wrong with it.
const (
	keptSource = iota
	keptNumber
	keptLine
	KeptColumn
	KeptValue
	keptReason
	keptCells // the cells of the source, and last the record as it stood

	KeptPlace = keptLine + 1
)

// SheetSign stands between the name of a workbook and that of its sheet.
const SheetSign = " · "

// untouched reports whether a record that could not be cut into its cells still
// has none.
func untouched(b *record.Batch, r int) bool {
	for c := keptCells; c < b.Width(r)-1; c++ {
		if !value.Blank(b.Cell(r, c)) {
			return false
		}
	}
	return true
}

// bindKept is bind for records that say themselves where they came from. ok
// tells that the reference is one to that.
func (p templatePart) bindKept(from Origin) (do compose, ok bool) {
	cell := func(i int) compose {
		return func(dst []byte, b *record.Batch, r int) []byte { return append(dst, b.Cell(r, i)...) }
	}
	switch p.ref {
	case "file", "sheet":
		return func(dst []byte, b *record.Batch, r int) []byte {
			file, sheet, _ := strings.Cut(string(b.Cell(r, keptSource)), SheetSign)
			if p.ref == "sheet" {
				return append(dst, sheet...)
			}
			return append(dst, filepath.Base(file)...)
		}, true
	case "line":
		return cell(keptLine), true
	case "record":
		return cell(keptNumber), true
	}
	for _, f := range from.Files {
		if f.Named[p.ref] != "" {
			return func(dst []byte, b *record.Batch, r int) []byte {
				return append(dst, from.named(string(b.Cell(r, keptSource)), p.ref)...)
			}, true
		}
	}
	return nil, false
}

// named returns a named part of the name of a file of the source.
func (o Origin) named(file, ref string) string {
	file, _, _ = strings.Cut(file, SheetSign)
	for _, f := range o.Files {
		if f.Name == file {
			return f.Named[ref]
		}
	}
	return ""
}
