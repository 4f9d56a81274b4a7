package source

// Layout is how a source is cut into records: what is common to all formats, and
// the settings of each. What a survey detects and what a tray sets are both written
// as one.
type Layout struct {
	Format     string  `json:"format"`   // one of Formats
	Packing    string  `json:"packing"`  // "gzip", "zip" …, "" when it is not packed
	Encoding   string  `json:"encoding"` // "utf-8", "windows-1252" …
	Confidence float64 `json:"encoding_confidence"`
	BOM        bool    `json:"bom"`
	// Readings show how the text reads in the encoding and in others, where the
	// encoding is a weak guess.
	Readings []Reading `json:"encoding_readings"`
	LineEnd  string    `json:"line_end"` // lf, crlf, crcrlf, cr, mixed or rows
	Comment  string    `json:"comment"`  // the prefix of comment lines, or ""
	Ruler    bool      `json:"ruler"`    // lines of dashes and the like are not records
	// HeaderLine is the line of the header, 0 without one.
	HeaderLine int64 `json:"header_line"`
	// HeaderLines is how many lines it has, whose cells are joined.
	HeaderLines int64 `json:"header_lines"`
	// HeaderGuess says that nothing distinguishes the header from the records.
	HeaderGuess bool `json:"header_guess"`
	// FirstDataLine is the line of the first record without a header.
	FirstDataLine int64 `json:"first_data_line"`
	// FindFirstDataLine leaves out the titles above the records of each file or sheet without a
	// header, however many these are.
	FindFirstDataLine bool `json:"find_first_data_line"`
	// DescriptionLines is how many lines below the header describe the columns:
	// their types or their meaning.
	DescriptionLines int64 `json:"description_lines"`
	// Footer is the number of trailing rows that are not records, such as totals.
	Footer int64 `json:"footer"`
	// FindFooter leaves out the rows at the end of each file or sheet that look
	// like totals or notes, however many these are.
	FindFooter bool `json:"find_footer"`
	// FillShort fills records that have too few cells with blank ones.
	FillShort bool `json:"fill_short"`
	// Drift is what to do when the parts of a source differ in their columns:
	// "refuse", or "fill" those that one does not have with blanks.
	Drift string `json:"drift"`
	// Overrides names the settings that were set, not detected.
	Overrides []string `json:"overrides"`

	Delimiting
	Places
	SheetCells
}

// Delimiting is how delimited text is written.
type Delimiting struct {
	// Delimiter is one or more characters, Spaces or WideSpaces for runs of them, or "" for
	// lines that are one cell each.
	Delimiter string `json:"delimiter"`
	Quote     string `json:"quote"`  // "" when cells are not quoted
	Escape    string `json:"escape"` // of a quote in quotes: Doubled, Backslash or Unescaped; or ServerEscapes
	// SkipSpaces removes the spaces around cells, in quotes or not.
	SkipSpaces bool `json:"skip_spaces"`
	// TextFormulas reads ="0012" as the text 0012.
	TextFormulas bool `json:"text_formulas"`
}

// Places is how text with columns at fixed places is written.
type Places struct {
	// Columns are the places of the columns, in characters from 1: 1-8,9-20,21-.
	Columns string `json:"columns"`
	// RecordLength is how many characters a record has where lines have no ends, else 0.
	RecordLength int64 `json:"record_length"`
}

// SheetCells is what is read of a workbook.
type SheetCells struct {
	Sheet  string `json:"sheet"`  // a name, a number, a pattern or "all"
	Cells  string `json:"cells"`  // a range such as B3:H200, or a name; "" for all
	Hidden string `json:"hidden"` // rows and columns: "take" or "leave"
	Merged string `json:"merged"` // the value of merged cells is in the "first", or in "each"
}

// Words of a layout.
const (
	Spaces     = "spaces"      // runs of spaces or tabs
	WideSpaces = "wide_spaces" // runs of two spaces at least
	Doubled    = "doubled"
	Backslash  = "backslash"
	Unescaped  = "none" // a quote is closed only by a delimiter or line end after it
	// ServerEscapes are those of the text that database servers write: \t, \n, \\, \N for NULL,
	// and a backslash before a delimiter, line end or quote that is text.
	ServerEscapes = "server"
)

// Rows is the line end of a sheet.
const Rows = "rows"

// The words for hidden rows and columns, and for merged cells.
const (
	HiddenTake  = "take"
	HiddenLeave = "leave"
	MergedFirst = "first"
	MergedEach  = "each"
)

// Found is the word for what is detected in every file or sheet: its footer, or its first record.
const Found = "found"

// The words for drift.
const (
	DriftRefuse = "refuse"
	DriftFill   = "fill"
)

// Options say how to open a sheet or file of the layout.
func (l *Layout) Options(sheet string) Options {
	return Options{
		Encoding: l.Encoding, RecordLength: l.RecordLength, Sheet: sheet, Cells: l.Cells, LeaveHidden: l.Hidden == HiddenLeave, FillMerged: l.Merged == MergedEach,
	}
}

// LineEnds are the words for the ends of lines.
var LineEnds = []string{"lf", "crlf", "crcrlf", "cr", "mixed"}

// DelimiterName returns the word for a delimiter, if it has one.
func DelimiterName(delimiter string) (name string, ok bool) {
	for name, named := range DelimiterNames {
		if named == delimiter {
			return name, true
		}
	}
	return "", false
}

// DelimiterNames are words for delimiters that are hard to write or to see.
var DelimiterNames = map[string]string{
	"comma": ",", "semicolon": ";", "tab": "\t", "pipe": "|", "colon": ":", "none": "", Spaces: Spaces, WideSpaces: WideSpaces,
}
