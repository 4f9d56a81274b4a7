package survey

import (
	"bytes"
	"context"
	"slices"

	"ambertray/internal/record"
	"ambertray/internal/source"
)

// quoteUse is what cells say about quotes: whether they go around cells, or are text.
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
	return !u.needed && slices.Max(append(u.enclosed, 0)) > 0 && 2*slices.Max(append(u.enclosed, 0)) < u.records
}

// quoteUse looks at the cells of a batch, which was cut with quotes around cells or without.
func (w *surveying) quoteUse(b *record.Batch) quoteUse {
	u := quoteUse{records: int64(b.Len()), enclosed: make([]int64, len(w.headings))}
	quote, delimiter := byte('"'), []byte(w.survey.Layout.Delimiter)
	for r := range b.Len() {
		for c, s := range b.Cells(r) {
			cell := b.Data[s.Start:s.End]
			switch {
			case w.survey.Layout.Unquoted():
				if len(cell) == 0 || cell[0] != quote {
					continue
				}
				if len(cell) == 1 || cell[len(cell)-1] != quote {
					u.opened++
					continue
				}
				cell = bytes.Trim(cell, `"`)
				u.needed = u.needed || bytes.Contains(cell, []byte(`""`))
			case int(s.Start) >= b.Raw: // it was unescaped
				cell = bytes.Trim(cell, `"`)
				u.needed = u.needed || bytes.IndexByte(cell, quote) >= 0
			case s.Start == 0 || b.Data[s.Start-1] != quote || b.Data[s.End] != quote:
				continue
			default: // with both, it may have records in it
				u.needed = u.needed || bytes.Contains(cell, delimiter) != (bytes.IndexByte(cell, '\n') >= 0)
			}
			if c < len(u.enclosed) && bytes.IndexByte(cell, quote) < 0 {
				u.enclosed[c]++
			}
		}
	}
	return u
}

// withoutQuotes reads the files again with quotes as text, if quotes are not where they would be
// around cells, and returns that reading if all of the source agrees with it: no cell needs the
// quotes around it, and either there are more records, which were lines of a quoted cell, or cells
// that only begin with a quote are not rare. A program that writes quotes around cells writes none
// of these, and a person few. Otherwise it returns nil.
func (w *surveying) withoutQuotes(ctx context.Context, from *source.Opener, files []string) (*surveying, error) {
	lay := w.survey.Layout
	set := slices.Contains(lay.Overrides, "quote") || slices.Contains(lay.Overrides, "escape")
	if set || lay.Format != source.Delimited || lay.Quote != `"` || lay.Escape != source.Doubled || w.occurrences.MisplacedQuotes() == 0 || !w.quotes.few() {
		return nil, nil
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
		return nil, nil
	}
	s.hasQuotes = true
	return plain, nil
}
