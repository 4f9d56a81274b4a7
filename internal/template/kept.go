package template

import (
	"path/filepath"
	"strings"

	"ambertray/internal/record"
	"ambertray/internal/reject"
)

// bindKept is bind for records that say themselves where they came from. ok
// says that the reference is one to that.
func (p part) bindKept(from Origin) (do Compose, ok bool) {
	cell := func(i int) Compose {
		return func(dst []byte, b *record.Batch, r int) []byte { return append(dst, b.Cell(r, i)...) }
	}
	switch p.ref {
	case "file", "sheet":
		return func(dst []byte, b *record.Batch, r int) []byte {
			file, sheet, _ := strings.Cut(string(b.Cell(r, reject.SourceCell)), record.SheetSign)
			if p.ref == "sheet" {
				return append(dst, sheet...)
			}
			return append(dst, filepath.Base(file)...)
		}, true
	case "line":
		return cell(reject.LineCell), true
	case "record":
		return cell(reject.NumberCell), true
	}
	for _, f := range from.Files {
		if f.Named[p.ref] != "" {
			return func(dst []byte, b *record.Batch, r int) []byte {
				return append(dst, from.named(string(b.Cell(r, reject.SourceCell)), p.ref)...)
			}, true
		}
	}
	return nil, false
}

// named returns a named part of the name of a file of the source.
func (o Origin) named(file, ref string) string {
	file, _, _ = strings.Cut(file, record.SheetSign)
	for _, f := range o.Files {
		if f.Name == file {
			return f.Named[ref]
		}
	}
	return ""
}
