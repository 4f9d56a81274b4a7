package convert

import (
	"ambertray/internal/note"
	"ambertray/internal/value"
)

// Altered counts the cells that are not loaded as they are written: null words, blank cells that
// become a default, and values that their parser alters. Each column has one count for each null word,
// one for blank cells, and one for each kind of alteration.
type Altered [][]int64

// Altered returns counts for the columns, all 0.
func (c *Converter) Altered() Altered {
	a := make(Altered, len(c.columns))
	for i := range a {
		a[i] = make([]int64, len(c.columns[i].nullWords)+1+int(value.Rounded))
	}
	return a
}

// mayBeAltered reports whether Altered may count the cell of a value.
func (c *column) mayBeAltered(v *value.Value) bool {
	return v.Null && len(c.nullWords) > 0 || c.standIn != nil || v.Altered != value.Unaltered && !v.Null
}

// add counts a cell of a column and its value. It does not count a blank cell that is NULL.
func (a Altered) add(col *column, i int, cell []byte, v *value.Value) {
	blanks := len(col.nullWords)
	if value.Blank(cell) {
		if col.standIn != nil {
			a[i][blanks]++
		}
		return
	}
	word := value.IndexWord(col.nullWords, cell)
	switch {
	case word >= 0:
		a[i][word]++
	case v.Altered != value.Unaltered && !v.Null:
		a[i][blanks+int(v.Altered)]++
	}
}

// Join adds the counts of a block.
func (a Altered) Join(k *Block) { a.Add(k.altered) }

// Add adds other counts of the same columns.
func (a Altered) Add(other Altered) {
	for i, counts := range other {
		for word, n := range counts {
			a[i][word] += n
		}
	}
}

func (a Altered) reset() {
	for _, counts := range a {
		clear(counts)
	}
}

// Notes returns notes on what was counted.
func (c *Converter) Notes(a Altered) (list []note.Note) {
	for i, counts := range a {
		col := &c.columns[i]
		words := len(col.nullWords)
		padded := counts[words+int(value.PaddedCode)]
		if padded > 0 && counts[words+int(value.PaddedSigned)] == 0 { // numbers with a sign are no codes
			list = append(list, note.Padded(col.heading, padded))
		}
		rounded := counts[words+int(value.Rounded)]
		if rounded > 0 {
			list = append(list, note.Rounded(col.heading, rounded))
		}
		for at, n := range counts[:words+1] {
			word := ""
			if at < words {
				word = col.nullWords[at]
			}
			switch {
			case n == 0:
			case col.standIn != nil:
				list = append(list, note.Default(col.heading, word, string(col.standIn), n))
			default:
				list = append(list, note.NullWord(col.heading, word, n))
			}
		}
	}
	return list
}
