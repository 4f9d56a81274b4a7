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
)

// Broken tells whether a record with this oddity has no cells to trust.
func (w What) Broken() bool { return w == OpenQuote }

func (w What) String() string {
	switch w {
	case StrayQuote:
		return "quote inside a quoted cell"
	case OpenQuote:
		return "quote is never closed"
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
	Blank int64 `json:"blank"`
}

// Total returns the number of rows left out by any rule.
func (s Skipped) Total() int64 { return s.Blank }

// Plus returns the sums of two counts.
func (s Skipped) Plus(o Skipped) Skipped { return Skipped{Blank: s.Blank + o.Blank} }
