package record

import (
	"fmt"

	"github.com/dustin/go-humanize"

	"ambertray/internal/note"
)

// What names a thing that is not as it should be in the text of a record.
type What uint8

// The oddities that a cutter can find.
const (
	// StrayQuote is a quote inside a quoted cell that is neither doubled nor
	// followed by a delimiter or a line end. It is kept as text.
	StrayQuote What = iota + 1
	// OpenQuote is a quote that opens a cell and is never closed. The record
	// ends with its line and has no cells: it is a reject.
	OpenQuote
	// BadEncoding is bytes that are not valid in the source's encoding.
	BadEncoding
	// NUL is a NUL character, which most targets cannot hold.
	NUL
	// LiteralQuote is a quote at the beginning of a cell that is text, because
	// only then the line has as many cells as the others.
	LiteralQuote
	// StrayBackslash is a backslash that begins no escape. It is kept as text.
	StrayBackslash
	// WrittenNull is the text \N, written \\N, which would be read as NULL.
	WrittenNull
	// Short is a record with fewer cells than columns. The missing cells at its end are blank.
	Short
	// Embedded is a quoted cell whose lines look like records. Its closing quote may be missing.
	Embedded
	// Total is a record that looks like a total of others.
	Total
	// Severed is text that goes on where a column ends at a fixed place.
	Severed

	kinds = iota + 1
)

// Broken reports whether a record with this oddity is a reject as a whole.
func (w What) Broken() bool {
	switch w {
	case StrayQuote, LiteralQuote, StrayBackslash, Short, Embedded, Total, Severed:
		return false
	}
	return true
}

func (w What) String() string {
	switch w {
	case StrayQuote:
		return "quote inside a quoted cell"
	case OpenQuote:
		return "quote is never closed"
	case BadEncoding:
		return "bytes that are not valid in the encoding"
	case NUL:
		return "a NUL character"
	case LiteralQuote:
		return "quote at the beginning of a cell, read as text"
	case StrayBackslash:
		return "backslash that begins no escape, read as text"
	case WrittenNull:
		return `the text \N, which would be read as NULL`
	case Embedded:
		return "lines in a quoted cell look like records; its closing quote may be missing"
	case Total:
		return "looks like a total, but is read as a record"
	case Severed:
		return "text goes on where the column before ends, and is cut there"
	case Short:
		return "fewer cells than columns; the missing cells at the end become NULL"
	}
	return "unknown oddity"
}

// Oddity is one such thing: Record and Cell count from 0 within the batch.
type Oddity struct {
	Record int
	Cell   int
	What   What
	offset int
}

// Occurrence is how many oddities of one kind there are, and where the first is.
type Occurrence struct {
	N    int64
	Part int
	Line int64
	Cell int
}

// Occurrences are those of each kind, in source order.
type Occurrences [kinds]Occurrence

// AddAll adds the oddities of a batch.
func (o *Occurrences) AddAll(b *Batch) {
	for _, odd := range b.Oddities {
		at := &o[odd.What]
		if at.N == 0 {
			*at = Occurrence{Part: b.Part, Line: b.OddityLine(odd), Cell: odd.Cell}
		}
		at.N++
	}
}

// Join adds those that follow in the source.
func (o *Occurrences) Join(next *Occurrences) {
	for what := range o {
		n := o[what].N
		if n == 0 {
			o[what] = next[what]
			continue
		}
		o[what].N += next[what].N
	}
}

// MisplacedQuotes returns how many quotes are not where they would be around cells.
func (o *Occurrences) MisplacedQuotes() int64 {
	return o[LiteralQuote].N + o[StrayQuote].N + o[OpenQuote].N + o[Embedded].N
}

// Notes returns notes on the oddities that records are loaded with.
func (o *Occurrences) Notes(parts, headings []string) (list []note.Note) {
	if o[Short].N > 0 {
		list = append(list, note.Counted(note.Count(o[Short].N, "record has", "records have")+" "+Short.String()))
	}
	for _, what := range []What{Total, Embedded, LiteralQuote, StrayQuote, StrayBackslash, Severed} {
		at := o[what]
		if at.N == 0 {
			continue
		}
		n := note.Counted(what.String())
		n.Source, n.Line = &parts[at.Part], at.Line
		if at.Cell < len(headings) {
			n.Column = &headings[at.Cell]
		}
		if what == Total {
			n.What += " (comment: WORD skips lines that begin with a word)"
		}
		if at.N > 1 {
			n.What += "; " + humanize.Comma(at.N-1) + " more like it"
		}
		list = append(list, n)
	}
	return list
}

// Misfit says how many cells a record has, and how many it should have.
func Misfit(has, want int) string {
	if has == 1 {
		return fmt.Sprintf("1 cell, not %d", want)
	}
	return fmt.Sprintf("%d cells, not %d", has, want)
}
