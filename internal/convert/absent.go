package convert

import (
	"ambertray/internal/note"
	"ambertray/internal/value"
)

// Absent counts the cells that are not loaded as they are written: null words, blank cells that
// become a default, and numbers with leading zeros. Each column has one count for each null word, one
// for blank cells, and one for each kind of padding.
type Absent [][]int64

// Absent returns counts for the columns, all 0.
func (c *Converter) Absent() Absent {
	a := make(Absent, len(c.columns))
	for i := range a {
		a[i] = make([]int64, len(c.columns[i].nullWords)+1+int(value.PaddedSigned))
	}
	return a
}

// mayBeAbsent reports whether Absent may count the cell of a value.
func (c *column) mayBeAbsent(v *value.Value) bool {
	return v.Null && len(c.nullWords) > 0 || c.standIn != nil || v.Padding != value.Unpadded && !v.Null
}

// add counts a cell of a column and its value. It does not count a blank cell that is NULL.
func (a Absent) add(col *column, i int, cell []byte, v *value.Value) {
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
	case v.Padding != value.Unpadded && !v.Null:
		a[i][blanks+int(v.Padding)]++
	}
}

// Join adds the counts of a block.
func (a Absent) Join(k *Block) { a.Add(k.absent) }

// Add adds other counts of the same columns.
func (a Absent) Add(other Absent) {
	for i, counts := range other {
		for word, n := range counts {
			a[i][word] += n
		}
	}
}

func (a Absent) reset() {
	for _, counts := range a {
		clear(counts)
	}
}

// Notes returns notes on what was counted.
func (c *Converter) Notes(a Absent) (list []note.Note) {
	for i, counts := range a {
		col := &c.columns[i]
		words := len(col.nullWords)
		padded := counts[words+int(value.PaddedCode)]
		if padded > 0 && counts[words+int(value.PaddedSigned)] == 0 { // numbers with a sign are no codes
			list = append(list, note.Padded(col.heading, padded))
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
