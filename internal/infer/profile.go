// Package infer finds out what the columns of a source hold. A Profile counts
// the shapes of the cells of every column; profiles of parts of a source merge
// into the profile of the whole in any order; Choose reads the smallest type
// that holds every value off a profile, with the evidence for it.
package infer

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"slices"
	"strings"
	"unicode/utf8"

	"ambertray/internal/record"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// maxExamples is how many values are kept as examples of a shape, and shown.
const maxExamples = 5

// Column is the profile of one column.
type Column struct {
	Origin  Origin
	Records int64
	Blanks  int64
	Spaced  int64 // values that begin with a space
	// Controls says that control characters, such as tabs and returns, stand at the ends of values or
	// are all of a blank one.
	Controls bool
	// Shortest and Longest are the lengths in characters of the values that
	// are not blank. First and Last are the first and last of them by their
	// bytes.
	Shortest, Longest int
	// Characters are those of the values; Units is the length of the longest one that
	// has characters beyond U+FFFF, each counted twice as in UTF-16.
	Characters        table.Characters
	Units             int
	First, Last       []byte
	firstKey, lastKey uint64
	fresh             bool // First or Last still refers to the batch

	distinct distinct
	tallies  []tally
	forms    value.Forms
	recent   int         // index of the tally that the last cell went to
	rising   Run         // of the batch that was added last
	value    value.Value // of the last cell; here so that it is allocated once
}

// NewColumns returns the profiles of the columns of a source.
func NewColumns(n int) []Column {
	columns := make([]Column, n)
	for i := range columns {
		columns[i].distinct.exact = min(max(allExactDistinct/n, minExactDistinct), exactDistinct)
	}
	return columns
}

// Add profiles the cells of column c. It appends the hash of each of them to hashes, 0 of a
// blank one, and returns these.
func (p *Column) Add(rows *Rows, c int, hashes []uint64) []uint64 {
	p.rising = Run{}
	from := len(hashes)
	if p.distinct.few {
		hashes = p.addFew(rows, c, hashes)
	} else {
		hashes = p.addMany(rows, c, hashes)
	}
	p.Records += int64(len(hashes) - from)
	p.distinct.endBatch(len(hashes) - from)
	p.own()
	return hashes
}

// addFew adds the cells of a column with few distinct values. A repeated value only adds to a
// count.
func (p *Column) addFew(rows *Rows, c int, hashes []uint64) []uint64 {
	from, data := len(hashes), rows.batch.Data
	for at := c; at < len(rows.cells); at += rows.width {
		span := rows.cells[at]
		cell := data[span.Start:span.End]
		if p.isBlank(cell) {
			hashes = append(hashes, 0)
			continue
		}
		hashes = append(hashes, hashOf(cell, prefix(cell)))
	}
	// All hashes are computed before the first lookup, because the processor can then wait for
	// several places in memory at once.
	for r, hash := range hashes[from:] {
		if hash == 0 {
			continue
		}
		i, known := p.distinct.tallyOf(hash)
		if known {
			p.tallies[i].count++
			p.rising.broken = true
			continue
		}
		cell := rows.cell(r, c)
		i = p.addValue(rows, r, cell, prefix(cell))
		p.distinct.add(hash, i)
	}
	return hashes
}

// addMany adds the cells of a column with many distinct values.
func (p *Column) addMany(rows *Rows, c int, hashes []uint64) []uint64 {
	data := rows.batch.Data
	for at := c; at < len(rows.cells); at += rows.width {
		span := rows.cells[at]
		cell := data[span.Start:span.End]
		if p.isBlank(cell) {
			hashes = append(hashes, 0)
			continue
		}
		key := prefix(cell)
		hash := hashOf(cell, key)
		hashes = append(hashes, hash)
		i := 0
		if p.rising.broken && len(cell) <= value.MaxForm {
			i = p.addNumber(rows, at/rows.width, cell, key)
		} else {
			i = p.addValue(rows, at/rows.width, cell, key)
		}
		p.distinct.add(hash, i)
	}
	return hashes
}

// addNumber is addValue for a cell that is probably a number between two others.
func (p *Column) addNumber(rows *Rows, r int, cell []byte, key uint64) int {
	text := value.SortableOf(cell, key)
	shape, found := p.forms.Find(len(cell), &text)
	if found {
		i := p.tally(shape)
		p.tallies[i].count++
		return i
	}
	i := p.addValue(rows, r, cell, key)
	t := &p.tallies[i]
	if len(t.examples) == maxExamples && t.fraction {
		p.forms.Add(cell, &text, t.shape)
	}
	return i
}

// isBlank reports whether a cell is blank. It counts blank cells and values that begin with a space.
func (p *Column) isBlank(cell []byte) bool {
	return (len(cell) == 0 || int8(cell[0]) <= ' ') && p.isSpaces(cell) // or beyond ASCII
}

// isSpaces is the rare case of isBlank, apart so that isBlank is inlined.
func (p *Column) isSpaces(cell []byte) bool {
	if value.Blank(cell) {
		p.Blanks++
		p.Controls = p.Controls || len(bytes.Trim(cell, " ")) > 0
		return true
	}
	if cell[0] == ' ' {
		p.Spaced++
	}
	return false
}

// addValue scans a cell, adds its value, and returns the index of its tally. key is the prefix of
// the cell.
func (p *Column) addValue(rows *Rows, r int, cell []byte, key uint64) int {
	// Most values change nothing that is known of the column as text.
	if key <= p.firstKey || key >= p.lastKey || len(cell) < p.Shortest || len(cell) > p.Longest || !ascii(cell, key) {
		p.addText(cell, key)
	}
	if cell[0] < ' ' || cell[len(cell)-1] < ' ' {
		p.Controls = true
	}
	v := &p.value
	shape := value.ScanLike(p.recentKind(), cell, v)
	i := p.tally(shape)
	t := &p.tallies[i]
	t.add(v, cell)
	if !p.rising.broken {
		p.rising.add(shape, v.Int)
	}
	if len(t.examples) < maxExamples {
		t.addExample(p.Origin.example(cell, rows.batch, rows.index(r)))
	}
	return i
}

// own copies the texts that refer to the batch, because the reader reuses its buffer.
func (p *Column) own() {
	if p.fresh {
		p.First, p.Last, p.fresh = bytes.Clone(p.First), bytes.Clone(p.Last), false
	}
	for i := range p.tallies {
		p.tallies[i].own()
	}
}

// recentKind is the kind of the value before, which the next one most likely
// has too.
func (p *Column) recentKind() value.Kind {
	if p.recent < len(p.tallies) {
		return p.tallies[p.recent].shape.Kind
	}
	return value.Text
}

// tally returns the index of the tally of a shape.
func (p *Column) tally(s value.Shape) int {
	if p.recent < len(p.tallies) && p.tallies[p.recent].shape == s {
		return p.recent
	}
	for i := range p.tallies {
		if p.tallies[i].shape == s {
			p.recent = i
			return i
		}
	}
	p.recent = len(p.tallies)
	p.tallies = append(p.tallies, tally{shape: s})
	return p.recent
}

// addText adds what is known of a cell as text.
func (p *Column) addText(cell []byte, key uint64) {
	n := characters(cell, key)
	if p.Longest == 0 || n < p.Shortest {
		p.Shortest = n
	}
	p.Longest = max(p.Longest, n)
	if n < len(cell) {
		p.addCharacters(cell, n)
	}
	cell = cell[:min(len(cell), record.MaxShown)]
	if p.First == nil || key < p.firstKey || key == p.firstKey && bytes.Compare(cell, p.First) < 0 {
		p.First, p.firstKey, p.fresh = cell, key, true
	}
	if key > p.lastKey || key == p.lastKey && bytes.Compare(cell, p.Last) > 0 {
		p.Last, p.lastKey, p.fresh = cell, key, true
	}
}

// addCharacters notes which characters a text of n has beyond ASCII.
func (p *Column) addCharacters(cell []byte, n int) {
	if p.Characters != table.Unicode {
		p.Characters = max(p.Characters, table.CharactersOf(cell))
	}
	if p.Characters != table.Unicode || len(cell) < 4 {
		return
	}
	beyond := 0
	for _, b := range cell {
		if b >= 0xf0 { // which begins a character of four bytes
			beyond++
		}
	}
	if beyond > 0 {
		p.Units = max(p.Units, n+beyond)
	}
}

// prefix returns the first eight bytes as a number that sorts as they do. In
// a batch more text stands after a short cell, so that it can be read in one
// go and the rest be masked off.
func prefix(cell []byte) uint64 {
	n := len(cell)
	if n >= 8 {
		return binary.BigEndian.Uint64(cell)
	}
	if cap(cell) >= 8 {
		unused := 64 - 8*n
		return binary.BigEndian.Uint64(cell[:8]) >> unused << unused
	}
	var word [8]byte
	copy(word[:], cell)
	return binary.BigEndian.Uint64(word[:])
}

const highBits = 0x8080808080808080

// ascii reports whether a cell is ASCII; key is its prefix.
func ascii(cell []byte, key uint64) bool {
	return key&highBits == 0 && (len(cell) <= 8 || asciiFrom(cell[8:]))
}

func asciiFrom(text []byte) bool {
	for ; len(text) >= 8; text = text[8:] {
		if binary.LittleEndian.Uint64(text)&highBits != 0 {
			return false
		}
	}
	for _, b := range text {
		if b >= utf8.RuneSelf {
			return false
		}
	}
	return true
}

// characters counts the bytes that do not continue a UTF-8 sequence; key is
// the cell's prefix.
func characters(cell []byte, key uint64) int {
	if ascii(cell, key) {
		return len(cell)
	}
	return utf8.RuneCount(cell)
}

// Merge adds the profile of other records of the source. The result does not depend on how the
// records were divided.
func (p *Column) Merge(o *Column) {
	p.Records += o.Records
	p.Blanks += o.Blanks
	p.Spaced += o.Spaced
	p.Controls = p.Controls || o.Controls
	p.distinct.merge(&o.distinct)
	p.Characters, p.Units = max(p.Characters, o.Characters), max(p.Units, o.Units)
	if o.Longest > 0 {
		if p.Longest == 0 || o.Shortest < p.Shortest {
			p.Shortest = o.Shortest
		}
		p.Longest = max(p.Longest, o.Longest)
		if p.First == nil || bytes.Compare(o.First, p.First) < 0 {
			p.First, p.firstKey = o.First, o.firstKey
		}
		if bytes.Compare(o.Last, p.Last) > 0 {
			p.Last, p.lastKey = o.Last, o.lastKey
		}
	}
	for i := range o.tallies {
		p.tallies[p.tally(o.tallies[i].shape)].merge(&o.tallies[i])
	}
	slices.SortFunc(p.tallies, func(a, b tally) int { return a.examples[0].compare(&b.examples[0]) })
}

// NullWords returns the well-known null words among the values, and those that a choice reads as NULL,
// without spaces around them, and how often each occurs.
func (p *Column) NullWords(c *Choice) map[string]int64 {
	words := map[string]int64{}
	for i := range p.tallies {
		t := &p.tallies[i]
		text := strings.TrimSpace(t.examples[0].Text)
		if t.shape.Kind == value.NullWord || slices.Contains(c.NullWords, text) {
			words[text] += t.count
		}
	}
	return words
}

// Examples returns a few of the first values.
func (p *Column) Examples() []Example {
	var all []Example
	for i := range p.tallies {
		all = append(all, p.tallies[i].examples...)
	}
	inOrder(all)
	return slices.Clip(all[:min(len(all), maxExamples)])
}

// Forms returns texts of every form that the values have: the first ones and the extremes.
func (p *Column) Forms() (texts []string) {
	for i := range p.tallies {
		t := &p.tallies[i]
		for _, e := range t.examples {
			texts = append(texts, e.Text)
		}
		for _, e := range []extreme{t.min[0], t.max[0]} {
			texts = append(texts, string(e.text))
		}
	}
	slices.Sort(texts)
	return slices.Compact(texts)
}

// Kind is one sort of values in a column.
type Kind struct {
	Name     string    `json:"name"`
	Count    int64     `json:"count"`
	Examples []Example `json:"examples"`
}

// Kinds returns the sorts of values, most frequent first.
func (p *Column) Kinds() []Kind {
	at := map[value.Kind]int{}
	kinds := []Kind{}
	for i := range p.tallies {
		t := &p.tallies[i]
		k, ok := at[t.shape.Kind]
		if !ok {
			k = len(kinds)
			at[t.shape.Kind] = k
			kinds = append(kinds, Kind{Name: t.shape.Kind.String()})
		}
		kinds[k].Count += t.count
		kinds[k].Examples = mergeExamples(kinds[k].Examples, t.examples)
	}
	slices.SortStableFunc(kinds, func(a, b Kind) int { return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Name, b.Name)) })
	return kinds
}
