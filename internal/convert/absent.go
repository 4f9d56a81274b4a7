package convert

import (
	"ambertray/internal/note"
	"ambertray/internal/value"
)

// Absent counts the cells that are loaded as NULL for a null word, or as a default. It has
// the counts of each column by null word, and then of blank cells; nil where there are none.
type Absent [][]int64

// notesAbsent reports whether a value may be one that Absent counts.
func (c *column) notesAbsent(v *value.Value) bool {
	return v.Null && len(c.nullWords) > 0 || c.standIn != nil
}

// add counts a cell, unless it has a value or is blank and NULL.
func (a *Absent) add(c *Converter, i int, cell []byte) {
	col := &c.columns[i]
	word := indexOf(col.nullWords, cell)
	switch {
	case value.Blank(cell) && col.standIn != nil:
		word = len(col.nullWords)
	case value.Blank(cell) || word < 0:
		return
	}
	if *a == nil {
		*a = make(Absent, len(c.columns))
	}
	if (*a)[i] == nil {
		(*a)[i] = make([]int64, len(col.nullWords)+1)
	}
	(*a)[i][word]++
}

// Join adds the counts of a block.
func (a *Absent) Join(k *Block) {
	if *a == nil && k.absent != nil {
		*a = make(Absent, len(k.absent))
	}
	for i, counts := range k.absent {
		if (*a)[i] == nil && counts != nil {
			(*a)[i] = make([]int64, len(counts))
		}
		for word, n := range counts {
			(*a)[i][word] += n
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
