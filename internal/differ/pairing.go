package differ

import (
	"cmp"
	"context"
	"encoding/gob"
	"errors"
	"hash/maphash"
	"io"
	"slices"
	"strings"
)

// pairing pairs the rows that the other side lacks, by their key.
type pairing struct {
	*Finder
	key     []int
	result  *Result
	changed []int64 // how often each column differs
}

var keySeed = maphash.MakeSeed()

// keyOf returns the key of a row as text, or all of it where there is no key.
func (p *pairing) keyOf(row *Row) string {
	if p.key == nil {
		return strings.Join(row.Cells, "\x00")
	}
	var cells []string
	for _, at := range p.key {
		cells = append(cells, row.Cells[at])
	}
	return strings.Join(cells, "\x00")
}

func (p *pairing) run(ctx context.Context, dir string, u *unmatched, source, table Side) error {
	count := 1
	if u.all || u.rows > maxInOnePart {
		count = parts
	}
	var both [2]*files
	for i, side := range []Side{source, table} {
		f, err := openFiles(dir, []string{"source", "table"}[i], count)
		if err != nil {
			return err
		}
		defer f.close()
		var encoders []*gob.Encoder
		for _, w := range f.writers {
			encoders = append(encoders, gob.NewEncoder(w))
		}
		err = side.Rows(ctx, u.wants, func(row Row) error {
			return encoders[maphash.String(keySeed, p.keyOf(&row))%uint64(count)].Encode(row)
		})
		if err != nil {
			return err
		}
		both[i] = f
	}
	for n := range count {
		err := p.part(both, n)
		if err != nil {
			return err
		}
	}
	return nil
}

// maxInOnePart is how many rows are paired at once.
const maxInOnePart = 100_000

// part pairs the rows of one part.
func (p *pairing) part(both [2]*files, n int) error {
	var sides [2][]Row
	for i, f := range both {
		r, err := f.reader(n)
		if err != nil {
			return err
		}
		for decoder := gob.NewDecoder(r); ; {
			var row Row
			err := decoder.Decode(&row)
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				return err
			}
			sides[i] = append(sides[i], row)
		}
	}
	known := p.cancel(&sides)
	slices.SortStableFunc(sides[0], func(a, b Row) int { return cmp.Or(cmp.Compare(a.Source, b.Source), cmp.Compare(a.Line, b.Line)) })
	return p.pair(sides[0], sides[1], known)
}

// cancel takes out the rows that both sides have: all of them were wanted where
// some of their copies are. It returns how often the source has each hash.
func (p *pairing) cancel(sides *[2][]Row) map[uint64]int {
	count := map[uint64]int{}
	for _, row := range sides[0] {
		count[row.Hash]++
	}
	both := map[uint64]int{}
	for _, row := range sides[1] {
		if both[row.Hash] < count[row.Hash] {
			both[row.Hash]++
		}
	}
	for i := range sides {
		left := map[uint64]int{}
		sides[i] = slices.DeleteFunc(sides[i], func(row Row) bool {
			left[row.Hash]++
			return left[row.Hash] <= both[row.Hash]
		})
	}
	return count
}

// pair reports the rows that are left: those with the same key as changed.
func (p *pairing) pair(source, table []Row, known map[uint64]int) error {
	byKey := map[string][]int{}
	if p.key != nil {
		for i := range table {
			key := p.keyOf(&table[i])
			byKey[key] = append(byKey[key], i)
		}
	}
	paired := make([]bool, len(table))
	for i := range source {
		row := &source[i]
		list := byKey[p.keyOf(row)]
		if len(list) == 0 {
			p.result.Missing++
			err := p.report(Difference{Kind: Missing, Key: p.shownKey(row), Source: row.Source, Line: row.Line, InSource: strings.Join(row.Cells, ", ")})
			if err != nil {
				return err
			}
			continue
		}
		byKey[p.keyOf(row)] = list[1:]
		paired[list[0]] = true
		err := p.compare(row, &table[list[0]])
		if err != nil {
			return err
		}
	}
	for i := range table {
		if paired[i] {
			continue
		}
		err := p.unpaired(&table[i], known)
		if err != nil {
			return err
		}
	}
	return nil
}

// unpaired counts a row of the table that no row of the source belongs to.
func (p *pairing) unpaired(row *Row, known map[uint64]int) error {
	switch {
	case p.Extras:
		p.result.Extra++
		return p.report(Difference{Kind: Extra, Key: p.shownKey(row), InTable: strings.Join(row.Cells, ", ")})
	case known[row.Hash] > 0:
		p.result.Copies++
	default:
		p.result.Others++
	}
	return nil
}

// compare reports the columns that differ in two rows of one key.
func (p *pairing) compare(source, table *Row) error {
	p.result.Changed++
	for i, cell := range source.Cells {
		if cell == table.Cells[i] {
			continue
		}
		p.changed[i]++
		d := Difference{Changed, p.shownKey(source), source.Source, source.Line, p.Columns[i], cell, table.Cells[i]}
		err := p.report(d)
		if err != nil {
			return err
		}
	}
	return nil
}

func (p *pairing) shownKey(row *Row) string {
	var cells []string
	for _, at := range p.key {
		cells = append(cells, row.Cells[at])
	}
	return strings.Join(cells, ", ")
}

func (p *pairing) report(d Difference) error {
	if len(p.result.First) < maxFirst {
		p.result.First = append(p.result.First, d)
	}
	if p.Each == nil {
		return nil
	}
	return p.Each(d)
}
