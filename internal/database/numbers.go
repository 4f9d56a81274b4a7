package database

import (
	"sort"

	"ambertray/internal/convert"
	"ambertray/internal/refusal"
)

// Numbers knows which record each row is, by the order in which rows were sent.
type Numbers struct {
	rows int64
	runs []numberRun
}

// numberRun says that a row and those after it are the records from first on,
// one after the other.
type numberRun struct {
	row   int64
	first refusal.Where
}

// Add adds the rows of a block.
func (n *Numbers) Add(k *convert.Block) {
	for _, number := range k.Numbers {
		n.add(refusal.Where{Part: k.Part, Record: number})
	}
}

func (n *Numbers) add(at refusal.Where) {
	n.rows++
	last := len(n.runs) - 1
	if last < 0 || n.runs[last].first.Part != at.Part || at.Record-n.runs[last].first.Record != n.rows-n.runs[last].row {
		n.runs = append(n.runs, numberRun{n.rows, at})
	}
}

// Rows returns the number of rows.
func (n *Numbers) Rows() int64 { return n.rows }

// Remove removes the rows that are in a list.
func (n *Numbers) Remove(list *refusal.List) {
	if list.Len() == 0 {
		return
	}
	gone := map[refusal.Where]bool{}
	for x := range list.All() {
		gone[x.Where] = true
	}
	kept := Numbers{}
	for row := int64(1); row <= n.rows; row++ {
		at := n.Record(row)
		if !gone[at] {
			kept.add(at)
		}
	}
	*n = kept
}

// Record returns the record that is a row; the first row is 1.
func (n *Numbers) Record(row int64) refusal.Where {
	i := sort.Search(len(n.runs), func(i int) bool { return n.runs[i].row > row }) - 1
	run := n.runs[i]
	return refusal.Where{Part: run.first.Part, Record: run.first.Record + row - run.row}
}
