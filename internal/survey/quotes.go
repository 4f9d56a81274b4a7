package survey

import (
	"bytes"
	"context"
	"slices"

	"ambertray/internal/record"
	"ambertray/internal/source"
)

// quoteUse counts how cells use quotes: around their text, or as part of it.
type quoteUse struct {
	records  int64
	enclosed []int64 // cells of each column with quotes around them, and none in them
	opened   int64   // cells that begin with a quote and do not end with one
	needed   bool    // cells need the quotes around them
}

func (u *quoteUse) add(o *quoteUse) {
	u.records += o.records
	u.opened += o.opened
	u.needed = u.needed || o.needed
	if u.enclosed == nil {
		u.enclosed = make([]int64, len(o.enclosed))
	}
	for c, n := range o.enclosed {
		u.enclosed[c] += n
	}
}

// minOpened is how many cells that only begin with a quote show that quotes are text.
const minOpened = 5

// few reports whether quotes are around some cells that do not need them, and around fewer than
// half of each column.
func (u *quoteUse) few() bool {
	most := int64(0)
	for _, n := range u.enclosed {
		most = max(most, n)
	}
	return !u.needed && most > 0 && 2*most < u.records
}

// quoteUse looks at the cells of a batch, which was cut with quotes around cells or without.
func (w *surveying) quoteUse(b *record.Batch) quoteUse {
	lay := &w.survey.Layout
	u := quoteUse{records: int64(b.Len()), enclosed: make([]int64, len(w.headings))}
	for r := range b.Len() {
		for c, s := range b.Cells(r) {
			text, enclosed := u.lookAt(b, s, lay)
			if enclosed && c < len(u.enclosed) && bytes.IndexByte(text, '"') < 0 {
				u.enclosed[c]++
			}
		}
	}
	return u
}

// lookAt returns the text of a cell between quotes, and whether it has quotes around it.
func (u *quoteUse) lookAt(b *record.Batch, s record.Span, lay *source.Layout) (text []byte, enclosed bool) {
	text = b.Data[s.Start:s.End]
	switch {
	case lay.Unquoted():
		if len(text) == 0 || text[0] != '"' {
			return nil, false
		}
		if len(text) == 1 || text[len(text)-1] != '"' {
			u.opened++
			return nil, false
		}
		text = bytes.Trim(text, `"`)
		u.needed = u.needed || bytes.Contains(text, []byte(`""`))
	case int(s.Start) >= b.Raw: // it was unescaped
		text = bytes.Trim(text, `"`)
		u.needed = u.needed || bytes.IndexByte(text, '"') >= 0
	case s.Start == 0 || b.Data[s.Start-1] != '"' || b.Data[s.End] != '"':
		return nil, false
	default: // with both, it may have records in it
		u.needed = u.needed || bytes.Contains(text, []byte(lay.Delimiter)) != (bytes.IndexByte(text, '\n') >= 0)
	}
	return text, true
}

// withoutQuotes reads the files again with quotes as text, if quotes are not where they would be
// around cells, and returns that reading if all of the source agrees with it: no cell needs the
// quotes around it, and either there are more records, which were lines of a quoted cell, or cells
// that only begin with a quote are not rare. A program that writes quotes around cells writes none
// of these, and a person few. Otherwise it returns the first reading.
func (w *surveying) withoutQuotes(ctx context.Context, from *source.Opener, files []string) (*surveying, error) {
	lay := w.survey.Layout
	set := slices.Contains(lay.Overrides, "quote") || slices.Contains(lay.Overrides, "escape")
	if set || lay.Format != source.Delimited || lay.Quote != `"` || lay.Escape != source.Doubled || w.occurrences.MisplacedQuotes() == 0 || !w.quotes.few() {
		return w, nil
	}
	lay.Quote = ""
	if lay.HeaderLine > 0 {
		lay.FirstDataLine = 0
	}
	o := w.options
	o.quotes = true
	plain, err := readOnce(ctx, from, files, lay, o)
	if err != nil {
		return nil, err
	}
	s, was := plain.survey, w.survey
	enclosed := int64(0)
	for _, n := range plain.quotes.enclosed {
		enclosed += n
	}
	opened := plain.quotes.opened
	agrees := plain.quotes.few() && s.Records >= was.Records && s.Ragged <= was.Ragged && slices.Equal(plain.headings, w.headings)
	if !agrees || s.Records == was.Records && (opened < minOpened || 10*opened < enclosed) {
		return w, nil
	}
	s.hasQuotes = true
	return plain, nil
}
