package delimited

import (
	"bytes"
	"fmt"
	"math/bits"

	"ambertray/internal/frame"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/text"
)

// A cutter finds the records and cells in delimited text. It holds only the
// dialect, so one cutter serves any number of goroutines.
//
// The dialect is RFC 4180 with four liberties that lose nothing: a quote inside
// an unquoted cell is text, and so is a stray quote inside a quoted cell, as
// long as that cell stays on one line. A quoted cell that spans lines must be
// clean, because otherwise its opening quote was most likely never closed. Spaces may
// follow the quote that closes a cell on one line. And where quotes do not give the
// usual number of cells, but the same lines do when their quotes are text, they are text.
//
// The usual dialects, with a delimiter of one byte, are cut by marking 64
// bytes at a time; the others by careful, a byte at a time.
type cutter struct {
	delimiter byte // 0: see long and spaces
	quote     byte // 0: no quoting
	newline   byte // 0: mixed line ends
	limit     int  // a record longer than this has an open quote

	long       []byte    // a delimiter of several bytes
	spaces     int       // the shortest run of spaces that is a delimiter
	ends       [256]bool // the bytes with which delimiters, line ends and escapes of servers begin
	backslash  bool      // quotes in quotes are escaped by a backslash
	server     bool      // and so is whatever else a server escapes, in quotes or not
	unescaped  bool      // quotes in quotes are not escaped: only one before a delimiter or line end closes
	skipSpaces bool
	formulas   bool // ="0012" is the text 0012
	sheet      bool // rows of a sheet, which end at their last value
	text.Expected
	rules frame.Rules
}

// newCutter returns the cutter for a layout.
func newCutter(lay source.Layout) (*cutter, error) {
	c := &cutter{
		newline: '\n', limit: text.MaxRecord, skipSpaces: lay.SkipSpaces, formulas: lay.TextFormulas,
		server: lay.Escape == source.ServerEscapes, unescaped: lay.Escape == source.Unescaped,
	}
	c.backslash = c.server || lay.Escape == source.Backslash
	switch {
	case lay.LineEnd == "cr":
		c.newline = '\r'
	case lay.LineEnd == "mixed":
		c.newline = 0
	}
	switch {
	case lay.Delimiter == source.Spaces:
		c.spaces = 1
	case lay.Delimiter == source.WideSpaces:
		c.spaces = 2
	case lay.Delimiter == "":
		c.delimiter = c.newline
	case len(lay.Delimiter) == 1:
		c.delimiter = lay.Delimiter[0]
	default:
		c.long = []byte(lay.Delimiter)
	}
	c.skipSpaces = c.skipSpaces && c.spaces == 0
	if len(lay.Quote) > 1 {
		return nil, fmt.Errorf("quote %q: must be one ASCII character, or empty", lay.Quote)
	}
	if lay.Quote != "" {
		c.quote = lay.Quote[0]
	}
	c.rules = frame.Rules{Delimiter: c.delimiter, Comment: []byte(lay.Comment), Ruler: lay.Ruler}
	c.setEnds()
	return c, nil
}

// sign returns the shortest delimiter.
func (c *cutter) sign() []byte {
	switch {
	case c.spaces > 0:
		return bytes.Repeat([]byte{' '}, c.spaces)
	case c.long != nil:
		return c.long
	}
	return []byte{c.delimiter}
}

// setEnds marks the bytes with which delimiters and line ends begin, and escapes of servers.
func (c *cutter) setEnds() {
	ends := []byte{c.sign()[0], c.newline}
	if c.spaces == 1 {
		ends = append(ends, '\t')
	}
	if c.newline == 0 {
		ends = append(ends, '\r', '\n')
	}
	if c.server {
		ends = append(ends, '\\')
	}
	for _, b := range ends {
		c.ends[b] = true
	}
}

// NewRows returns a cutter for rows that end in one sign, and whose cells are
// separated by another one and not quoted, with rules for rows that are not records.
func NewRows(cellEnd, rowEnd byte, rules frame.Rules) text.Cutter {
	rules.Delimiter = cellEnd
	c := &cutter{delimiter: cellEnd, newline: rowEnd, limit: text.MaxRecord, rules: rules, sheet: true}
	c.setEnds()
	return c
}

// Newline implements text.Cutter.
func (c *cutter) Newline() byte { return c.newline }

// Expect implements text.Cutter.
func (c *cutter) Expect(e text.Expected) { c.Expected = e }

// Delimiter implements text.Cutter.
func (c *cutter) Delimiter() string { return string(c.sign()) }

// Rules implements text.Cutter.
func (c *cutter) Rules() *frame.Rules { return &c.rules }

// simple reports whether the fast way will do.
func (c *cutter) simple() bool {
	return c.delimiter != 0 && c.newline != 0 && !c.skipSpaces && (!c.backslash || c.server && c.quote == 0)
}

// Cut implements text.Cutter.
func (c *cutter) Cut(b *record.Batch, last, open bool) int {
	b.Reset()
	b.Fill(c.Fill)
	n := b.Raw
	b.Reserve(func() (records, cells int) { return c.expected(b.Data[:n]) })
	s := scan{c: c, b: b, data: b.Data[:n+record.Pad], n: n, last: last, open: open}
	s.fast = c.simple()
	cut := s.careful
	if s.fast {
		cut = s.marked
	}
	defer b.DropNotes() // of a record that is not complete
	end := cut()
	if c.formulas {
		b.EditCells(func(s record.Span) record.Span { return insideFormula(b.Data, s) })
	}
	return end
}

// expected estimates the number of records and cells of a text. It is the maximum unless line
// ends are mixed.
func (c *cutter) expected(text []byte) (records, cells int) {
	newline := max(c.newline, '\n')
	records = bytes.Count(text, []byte{newline}) + 1
	return records, records + bytes.Count(text, c.sign())
}

// marked cuts the usual dialects by their marks. It returns what Cut does.
func (s *scan) marked() int {
	c, b, data, n := s.c, s.b, s.data, s.n
	delimiter, newline, quote, quoting := c.delimiter, c.newline, c.quote, c.quote != 0
	usual := !c.server && len(c.rules.Comment) == 0 && !c.rules.Ruler && c.Fill == 0 && c.FillLast == 0 && c.rules.Special == nil && c.rules.Outside == ""
	cells := b.AllCells()
	start, from := s.record, len(cells) // offset of the cell that is being cut, index of the first cell of its record
	for base := start; base < n; {
		ends := marks((*[64]byte)(data[base:]), delimiter, newline)
		next := base + 64
		if next > n {
			ends &= 1<<(n-base) - 1
		}
		if c.server {
			ends = s.notEscaped(ends, base)
		}
		for ends != 0 {
			i := base + bits.TrailingZeros64(ends)
			ends &= ends - 1
			if quoting && data[start] == quote {
				b.SetCells(cells)
				end, ok := s.quoted(start)
				if !ok {
					return s.record
				}
				cells = b.AllCells()
				if end >= i && end < base+64 {
					ends &= ^uint64(0) << (end - base) << 1
				} else { // further on, or before, where quotes were text after all
					ends, next = 0, end+1
				}
				i = end
			} else {
				cells = append(cells, record.Span{Start: uint32(start), End: uint32(i)})
			}
			start = i + 1
			if data[i] != newline {
				continue
			}
			b.SetCells(cells)
			odd := s.strays && len(cells)-from != c.Width
			first := data[s.record]
			if usual && s.record < i && first > ' ' && first != delimiter && data[i-1] != '\r' && !c.rules.MayRepeat(i-s.record) && !odd {
				b.EndRecord(s.record, i) // what endRecord would come to
				s.record, s.strays, from = i+1, false, len(cells)
				continue
			}
			s.endRecord(i)
			cells = b.AllCells()
			from = len(cells)
			if s.record <= i { // quotes were text after all: cut on from the next line
				ends, next, start = 0, s.record, s.record
			}
		}
		base = next
	}
	b.SetCells(cells)
	return s.endMarked(start)
}

// endMarked ends a cut; start is where a cell begins that has no end yet.
func (s *scan) endMarked(start int) int {
	if !s.last {
		return s.record
	}
	s.finish(start)
	if s.record < s.n {
		return s.marked()
	}
	return s.n
}

// finish cuts what stands after the last delimiter or line end of a source;
// start is after the end when a quote closed the last cell there.
func (s *scan) finish(start int) {
	if s.record >= s.n {
		return
	}
	switch {
	case start < s.n && s.data[start] == s.c.quote && s.c.quote != 0:
		begun := s.record
		s.quoted(start)
		if s.record != begun { // it closed the record
			return
		}
	case start <= s.n:
		s.b.AddCell(record.Span{Start: uint32(start), End: uint32(s.n)})
	}
	s.endRecord(s.n)
}

// scan is the state of one call of cut.
type scan struct {
	c      *cutter
	b      *record.Batch
	data   []byte // the text and the pad
	n      int    // length of the text
	last   bool
	open   bool
	fast   bool
	record int  // offset of the record that is being cut
	strays bool // the record has a quote that ought not to be where it is
	// returns is the last run of carriage returns that was met, so that a long one is read once.
	returns record.Span
	failed  failed
	cells   []record.Span // of a record that is without its escapes then
}

// endRecord closes the record before the line end at i, unless an open quote
// has closed it already, or a rule leaves it out.
func (s *scan) endRecord(i int) {
	if s.record > i {
		return
	}
	if s.strays && s.b.OpenCells() != s.c.Width && s.cutLiterally(i) {
		return
	}
	s.strays = false
	stop := i
	for stop > s.record && s.data[stop-1] == '\r' {
		stop--
	}
	if stop < i {
		s.b.TrimLastCell(stop)
	}
	if s.c.server && s.fast {
		s.unescapeCells(stop)
	}
	rule, ok := s.c.rules.Of(s.data[s.record:stop])
	if ok {
		s.b.DropCells()
		s.b.DropNotes()
		s.b.Skip(rule, s.record, stop)
	} else {
		cells := s.b.OpenCells()
		switch {
		case s.c.sheet:
		case cells < s.c.Fill:
			s.b.Note(record.Short, s.record)
		case s.c.Fill == 0 && cells == s.c.FillLast-1:
			s.b.Note(record.Short, s.record)
			s.b.AddCell(record.Span{Start: uint32(stop), End: uint32(stop)})
		}
		s.b.EndRecord(s.record, stop)
	}
	s.record = i + 1
}

// quoted cuts the quoted cell at start. It returns the offset of the delimiter
// or line end that follows it (n at the end of the text), or false when the
// cell continues in the next piece.
func (s *scan) quoted(start int) (end int, ok bool) {
	if s.failed.has(start) {
		return s.openQuote(s.failed.quote), true
	}
	doubled, stray := false, false
	i := start + 1
	checked := start // up to here the cell is on one line
	for {
		k := bytes.IndexByte(s.data[i:s.n], s.c.quote)
		if k < 0 {
			return s.unfinished(start)
		}
		i += k
		if s.fast && !stray && i+1 < s.n { // the two that are by far the most common
			after := s.data[i+1]
			if after == s.c.delimiter || after == s.c.newline {
				s.addQuoted(start, i, doubled)
				return i + 1, true
			}
			if after == s.c.quote && !s.c.unescaped {
				doubled = true
				i += 2
				continue
			}
		}
		if stray {
			if s.spansLines(checked, i) { // regardless of the next quotes
				return s.openQuote(start), true
			}
			checked = i
		}
		if s.c.backslash && escaped(s.data[start+1:i]) {
			doubled = true
			i++
			continue
		}
		padded := !stray && s.data[i+1] == ' ' && !s.spansLines(start, i)
		next, end, known := s.follows(i+1, padded)
		switch {
		case !known:
			return s.unfinished(start)
		case next == doubles:
			doubled = true
			i += 2
		case next == closes:
			s.addQuoted(start, i, doubled)
			return end, true
		case s.spansLines(checked, i):
			return s.openQuote(start), true
		default:
			if !stray && !s.c.unescaped {
				s.b.Note(record.StrayQuote, i)
				s.strays = true
			}
			stray, checked = true, i
			i++
		}
	}
}

// escaped reports whether text ends in an odd number of backslashes.
func escaped(text []byte) bool {
	n := len(text) - len(bytes.TrimRight(text, `\`))
	return n%2 == 1
}

// after says what the bytes after a quote make of the quote.
type after uint8

const (
	strays after = iota
	closes
	doubles
)

// follows examines offset i, the byte after a quote. padded says that spaces may stand
// there before what ends the cell. end is where the cell ends; known is false when that
// depends on text that is not there yet.
func (s *scan) follows(i int, padded bool) (a after, end int, known bool) {
	if i < s.n && s.data[i] == s.c.quote {
		if s.c.backslash || s.c.unescaped {
			return strays, i, true
		}
		return doubles, i, true
	}
	skip := s.c.skipSpaces || padded && !s.c.unescaped && s.c.spaces == 0 && s.c.delimiter != ' '
	for skip && i < s.n && s.data[i] == ' ' {
		i++
	}
	for j := i; ; j++ {
		switch {
		case j >= s.n:
			return closes, s.n, s.last
		case s.data[j] == s.c.newline:
			return closes, j, true
		case s.data[j] != '\r':
			if j == i && s.delimiterAt(i) {
				return closes, i, true
			}
			if s.c.newline == 0 && (j > i || s.data[j] == '\n') {
				return closes, i, true
			}
			return strays, i, true
		}
	}
}

func (s *scan) spansLines(start, i int) bool {
	if s.c.newline == 0 {
		return bytes.ContainsAny(s.data[start:i], "\r\n")
	}
	return bytes.IndexByte(s.data[start:i], s.c.newline) >= 0
}

func (s *scan) addQuoted(start, end int, doubled bool) {
	s.noteEmbedded(start, end)
	escape := s.c.quote
	if s.c.backslash {
		escape = '\\'
	}
	text := s.data[start+1 : end]
	unescape := doubled || s.c.backslash && bytes.IndexByte(text, escape) >= 0
	switch {
	case unescape && s.c.server:
		s.addEscaped(start+1, end)
	case unescape:
		s.b.AddUnescaped(text, escape, s.c.quote)
	default:
		s.b.AddCell(record.Span{Start: uint32(start + 1), End: uint32(end)})
	}
	if s.c.skipSpaces {
		s.b.TrimSpaces()
	}
}

func (s *scan) unfinished(start int) (int, bool) {
	if s.last || s.open || s.n-s.record > s.c.limit {
		return s.openQuote(start), true
	}
	return 0, false
}

// openQuote ends the record with the line on which its quote opened at start,
// so that the quote swallows nothing of what follows.
func (s *scan) openQuote(start int) int {
	stop := s.n
	k := s.lineEnd(start)
	if k >= 0 {
		stop = k
	}
	if s.failed.stop != stop {
		s.failed = failed{s.openCells(start), start, 0}
	}
	if s.cutLiterally(stop) {
		s.failed.stop = stop
		return s.record - 1
	}
	s.failed = failed{}
	s.strays = false
	s.b.DropNotes()
	s.b.Note(record.OpenQuote, start)
	s.b.DropCells()
	s.b.EndRecord(s.record, stop)
	s.record = stop + 1
	return stop
}

// lineEnd returns the offset of the first line end from i on, or -1.
func (s *scan) lineEnd(i int) int { return text.EndOfLine(s.data[:s.n], s.c.newline, i) }
