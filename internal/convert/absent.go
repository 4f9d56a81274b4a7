package convert

import (
	"ambertray/internal/note"
	"ambertray/internal/value"
)

// Absent counts the cells that are loaded as NULL because of a null word, or as a default. For
// each column it has one count per null word, and a last one for blank cells.
type Absent [][]int64

// Absent returns counts for the columns, all 0.
func (c *Converter) Absent() Absent {
	a := make(Absent, len(c.columns))
	for i := range a {
		a[i] = make([]int64, len(c.columns[i].nullWords)+1)
	}
	return a
}

// mayBeAbsent reports whether Absent may count the cell of a value.
func (c *column) mayBeAbsent(v *value.Value) bool {
	return v.Null && len(c.nullWords) > 0 || c.standIn != nil
}

// add counts a cell of a column. It does not count a cell with a value, or a blank one that is NULL.
func (a Absent) add(col *column, i int, cell []byte) {
	if value.Blank(cell) {
		if col.standIn != nil {
			a[i][len(col.nullWords)]++
		}
		return
	}
	word := value.IndexWord(col.nullWords, cell)
	if word >= 0 {
		a[i][word]++
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
		for at, n := range counts {
			word := ""
			if at < len(col.nullWords) {
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
