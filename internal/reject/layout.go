package reject

// Names of files in the folder of a load: of the records that are rejected, and
// of those that were corrected and loaded since. Both have the same columns.
const (
	FileName   = "rejects.csv"
	MendedName = "mended.csv"
)

// The first columns of such a file. After them stand the cells of the record under
// the headings of the source, and last the record as it stands in the source if
// its cells do not fit those headings.
var (
	columns  = []string{"source", "record", "line", "column", "value", "reason"}
	original = "original"
)

// The cells of a record in such a file. The first PlaceCells of them say where it
// was in its source.
const (
	SourceCell = iota
	NumberCell
	LineCell
	ColumnCell
	ValueCell
	ReasonCell
	FirstCell // the first cell of the source

	PlaceCells = LineCell + 1
)

// Reject is a record that is not loaded.
type Reject struct {
	Part         int // index of its file or sheet
	Record, Line int64
	Column       string // name of the column; "" when the record as a whole is at fault
	Value        string
	Reason       string
	More         []string // further reasons, each with its column and value
	Cells        []string // nil when the record has not as many cells as the source has columns
	Text         string   // the record as it stands in the source
}
