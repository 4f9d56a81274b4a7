package record

import "fmt"

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
)

// Broken reports whether a record with this oddity is a reject as a whole.
func (w What) Broken() bool {
	return w != StrayQuote && w != LiteralQuote && w != StrayBackslash
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

// Misfit says how many cells a record has, and how many it should have.
func Misfit(has, want int) string {
	if has == 1 {
		return fmt.Sprintf("1 cell, not %d", want)
	}
	return fmt.Sprintf("%d cells, not %d", has, want)
}
