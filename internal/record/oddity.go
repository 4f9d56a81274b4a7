package record

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
)

// Broken tells whether a record with this oddity is a reject as a whole.
func (w What) Broken() bool { return w != StrayQuote }

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

// Skipped counts rows that are left out by rule.
type Skipped struct {
	Title          int64 `json:"title"`           // above the header
	Blank          int64 `json:"blank"`           // without any value
	Comment        int64 `json:"comment"`         // begins with the comment sign
	Ruler          int64 `json:"ruler"`           // drawn rather than written
	RepeatedHeader int64 `json:"repeated_header"` // the header once more
	Footer         int64 `json:"footer"`          // totals and notes at the end
}

// Rule is a rule that leaves rows out, and how many.
type Rule struct {
	Name string
	Rows int64
}

// Rules lists the counts by rule.
func (s Skipped) Rules() []Rule {
	return []Rule{
		{"title", s.Title}, {"blank line", s.Blank}, {"comment", s.Comment}, {"ruler line", s.Ruler},
		{"repeated header", s.RepeatedHeader}, {"footer row", s.Footer},
	}
}

// Total returns the number of rows left out by any rule.
func (s Skipped) Total() (n int64) {
	for _, r := range s.Rules() {
		n += r.Rows
	}
	return n
}

// Plus returns the sums of two counts.
func (s Skipped) Plus(o Skipped) Skipped {
	return Skipped{
		s.Title + o.Title, s.Blank + o.Blank, s.Comment + o.Comment, s.Ruler + o.Ruler,
		s.RepeatedHeader + o.RepeatedHeader, s.Footer + o.Footer,
	}
}
