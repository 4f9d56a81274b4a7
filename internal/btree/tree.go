package btree

import "encoding/binary"

// tree builds a b-tree from cells that come in order.
type tree struct {
	w      *file
	index  bool
	leaf   page
	levels []*page // above the leaves
	local  int     // bytes of a record that stay in its cell at most,
	least  int     // and at least where the rest has pages of its own
	cell   []byte
	page   []byte
}

// page is a page that is being filled.
type page struct {
	kind    byte
	cells   []byte
	ends    []int  // of the cells
	last    uint32 // the child after the last cell of an interior page
	waiting []byte // a cell that found the page full
}

func newTree(w *file, index bool) *tree {
	t := &tree{w: w, index: index, leaf: page{kind: tableLeaf}, local: pageSize - 35, least: (pageSize-12)*32/255 - 23, page: make([]byte, pageSize)}
	if index {
		t.leaf.kind, t.local = indexLeaf, (pageSize-12)*64/255-23
	}
	return t
}

// head is the size of the header of a page.
func (p *page) head() int {
	if p.kind == tableInterior || p.kind == indexInterior {
		return 12
	}
	return 8
}

func (p *page) fits(cell int) bool {
	return p.head()+2*(len(p.ends)+1)+len(p.cells)+cell <= pageSize
}

func (p *page) add(cell []byte) {
	p.cells = append(p.cells, cell...)
	p.ends = append(p.ends, len(p.cells))
}

// flush writes a page and returns its number.
func (t *tree) flush(p *page) (uint32, error) {
	clear(t.page)
	t.page[0] = p.kind
	binary.BigEndian.PutUint16(t.page[3:], uint16(len(p.ends)))
	start, end, head := 0, pageSize, p.head()
	for i, stop := range p.ends {
		cell := p.cells[start:stop]
		end -= len(cell)
		copy(t.page[end:], cell)
		binary.BigEndian.PutUint16(t.page[head+2*i:], uint16(end))
		start = stop
	}
	binary.BigEndian.PutUint16(t.page[5:], uint16(end))
	if head == 12 {
		binary.BigEndian.PutUint32(t.page[8:], p.last)
	}
	p.cells, p.ends = p.cells[:0], p.ends[:0]
	return t.w.write(t.page)
}

// row adds a row of a table. Row ids ascend.
func (t *tree) row(id int64, record []byte) (err error) {
	t.cell = appendVarint(appendVarint(t.cell[:0], uint64(len(record))), uint64(id))
	t.cell, err = t.payload(t.cell, record)
	if err != nil {
		return err
	}
	if !t.leaf.fits(len(t.cell)) {
		last := lastRow(&t.leaf)
		number, err := t.flush(&t.leaf)
		if err != nil {
			return err
		}
		err = t.up(0, number, appendVarint(nil, last))
		if err != nil {
			return err
		}
	}
	t.leaf.add(t.cell)
	return nil
}

// lastRow is the row id of the last cell of a leaf.
func lastRow(p *page) uint64 {
	start := 0
	n := len(p.ends)
	if n > 1 {
		start = p.ends[n-2]
	}
	_, n = readVarint(p.cells[start:])
	id, _ := readVarint(p.cells[start+n:])
	return id
}

func readVarint(b []byte) (n uint64, size int) {
	for i := range 8 {
		n = n<<7 | uint64(b[i]&0x7f)
		if b[i] < 0x80 {
			return n, i + 1
		}
	}
	return n<<8 | uint64(b[8]), 9
}

// entry adds an entry of an index. One that finds the leaf full waits for the next, to
// stand between two leaves in the page above.
func (t *tree) entry(record []byte) (err error) {
	t.cell = appendVarint(t.cell[:0], uint64(len(record)))
	t.cell, err = t.payload(t.cell, record)
	if err != nil {
		return err
	}
	if t.leaf.waiting != nil {
		number, err := t.flush(&t.leaf)
		if err != nil {
			return err
		}
		err = t.up(0, number, t.leaf.take())
		if err != nil {
			return err
		}
	}
	if t.leaf.fits(len(t.cell)) {
		t.leaf.add(t.cell)
	} else {
		t.leaf.waiting = append([]byte{}, t.cell...)
	}
	return nil
}

// up puts a child into the page of a level above, with the key that is between it and the
// next child.
func (t *tree) up(level int, child uint32, key []byte) error {
	if level == len(t.levels) {
		kind := byte(tableInterior)
		if t.index {
			kind = indexInterior
		}
		t.levels = append(t.levels, &page{kind: kind})
	}
	p := t.levels[level]
	if p.waiting != nil {
		err := t.close(level, p.take())
		if err != nil {
			return err
		}
	}
	cell := append(binary.BigEndian.AppendUint32(nil, child), key...)
	if p.fits(len(cell)) {
		p.add(cell)
	} else {
		p.waiting = cell
	}
	return nil
}

// close writes an interior page, with a cell after its last: its child is the last of the
// page, and its key stands in the level above.
func (t *tree) close(level int, cell []byte) error {
	p := t.levels[level]
	p.last = binary.BigEndian.Uint32(cell)
	number, err := t.flush(p)
	if err != nil {
		return err
	}
	return t.up(level+1, number, cell[4:])
}

// take returns the cell that waits, which does so no longer.
func (p *page) take() []byte {
	cell := p.waiting
	p.waiting = nil
	return cell
}

// pop takes the last cell out of a page.
func (p *page) pop() []byte {
	n := len(p.ends)
	start := 0
	if n > 1 {
		start = p.ends[n-2]
	}
	cell := append([]byte{}, p.cells[start:]...)
	p.cells, p.ends = p.cells[:start], p.ends[:n-1]
	return cell
}

// payload appends what of a record stays in its cell, and writes the rest to pages of its
// own.
func (t *tree) payload(cell, record []byte) ([]byte, error) {
	if len(record) <= t.local {
		return append(cell, record...), nil
	}
	keep := t.least + (len(record)-t.least)%(pageSize-4)
	if keep > t.local {
		keep = t.least
	}
	cell = append(cell, record[:keep]...)
	rest := record[keep:]
	cell = binary.BigEndian.AppendUint32(cell, t.w.number(0))
	for len(rest) > 0 {
		clear(t.page)
		n := copy(t.page[4:], rest)
		rest = rest[n:]
		if len(rest) > 0 {
			binary.BigEndian.PutUint32(t.page, t.w.number(1))
		}
		_, err := t.w.write(t.page)
		if err != nil {
			return nil, err
		}
	}
	return cell, nil
}

// end writes what is left and returns the number of the root. No page is left empty: what
// waits for a next one gets the last cell of its page as neighbour.
func (t *tree) end() (root uint32, err error) {
	waiting := t.leaf.take()
	if waiting != nil {
		between := t.leaf.pop()
		number, err := t.flush(&t.leaf)
		if err != nil {
			return 0, err
		}
		err = t.up(0, number, between)
		if err != nil {
			return 0, err
		}
		t.leaf.add(waiting)
	}
	root, err = t.flush(&t.leaf)
	if err != nil {
		return 0, err
	}
	for level := 0; level < len(t.levels); level++ { // which may grow
		p := t.levels[level]
		waiting := p.take()
		if waiting != nil {
			err := t.close(level, p.pop())
			if err != nil {
				return 0, err
			}
			p.add(waiting)
		}
		p.last = root
		root, err = t.flush(p)
		if err != nil {
			return 0, err
		}
	}
	return root, nil
}
