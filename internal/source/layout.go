package source

import "ambertray/internal/sheet"

// Layout is how a source is cut into records. What a survey detects and what a
// tray tells are both written as one.
type Layout struct {
	Format     string  `json:"format"`   // "delimited" or "sheet"
	Sheet      string  `json:"sheet"`    // of a workbook: a name, a number, a pattern or "all"
	Cells      string  `json:"cells"`    // of a sheet: a range such as B3:H200, or a name; "" for all
	Hidden     string  `json:"hidden"`   // rows and columns of a sheet: "take" or "leave"
	Merged     string  `json:"merged"`   // the value of merged cells is in the "first", or in "each"
	Packing    string  `json:"packing"`  // "gzip", "zip" …, "" when it is not packed
	Encoding   string  `json:"encoding"` // "utf-8", "windows-1252" …
	Confidence float64 `json:"encoding_confidence"`
	BOM        bool    `json:"bom"`
	// Readings show how the text reads in the encoding and in others, where the
	// encoding is a weak guess.
	Readings []Reading `json:"encoding_readings"`
	// Delimiter is one or more characters, Spaces or WideSpaces for runs of them, or "" for
	// lines that are one cell each.
	Delimiter string `json:"delimiter"`
	// Columns are the places of the columns in text that is aligned with spaces, in
	// characters from 1: 1-8,9-20,21-. It is "" where a delimiter stands between cells.
	Columns string `json:"columns"`
	Quote   string `json:"quote"`  // "" when cells are not quoted
	Escape  string `json:"escape"` // of a quote in quotes: Doubled or Backslash
	// SkipSpaces leaves out the spaces around cells, in quotes or not.
	SkipSpaces bool   `json:"skip_spaces"`
	LineEnd    string `json:"line_end"` // lf, crlf, crcrlf, cr, mixed or rows
	Comment    string `json:"comment"`  // what lines begin with that are comments, or ""
	Ruler      bool   `json:"ruler"`    // lines of dashes and the like are no records
	// HeaderLine is the line of the header, 0 when there is none.
	HeaderLine int64 `json:"header_line"`
	// HeaderLines is how many lines it has, whose cells are joined.
	HeaderLines   int64 `json:"header_lines"`
	FirstDataLine int64 `json:"first_data_line"`
	// DescriptionLines is how many lines below the header describe the columns:
	// their types or their meaning.
	DescriptionLines int64 `json:"description_lines"`
	// Footer is how many records at the end are none, such as totals.
	Footer int64 `json:"footer"`
	// FindFooter leaves out the rows at the end of each file or sheet that look
	// like totals or notes, however many these are.
	FindFooter bool `json:"find_footer"`
	// FillShort fills records that have too few cells with blank ones.
	FillShort bool `json:"fill_short"`
	// Drift is what to do when the parts of a source differ in their columns:
	// "refuse", or "fill" those that one does not have with blanks.
	Drift string `json:"drift"`
	// Told names the facts that were not detected but told.
	Told []string `json:"told"`
}

// Words of a layout.
const (
	Spaces     = "spaces"      // runs of spaces or tabs
	WideSpaces = "wide_spaces" // runs of two spaces at least
	Doubled    = "doubled"
	Backslash  = "backslash"
	Unescaped  = "none" // a quote is closed only by a delimiter or line end after it
)

// The formats, and the line end of a sheet.
const (
	Delimited = "delimited"
	SheetRows = "sheet"
	Rows      = "rows"
)

// The words for hidden rows and columns, and for merged cells.
const (
	HiddenTake  = "take"
	HiddenLeave = "leave"
	MergedFirst = "first"
	MergedEach  = "each"
)

// FooterFound is the word for a footer that is found anew in every file or sheet.
const FooterFound = "found"

// The words for drift.
const (
	DriftRefuse = "refuse"
	DriftFill   = "fill"
)

// OfSheet makes the layout one of a sheet, whose text is cut by the separators
// that package sheet writes.
func (l *Layout) OfSheet() {
	l.Format, l.Encoding, l.Delimiter, l.LineEnd = SheetRows, utf8Name, string(sheet.CellEnd), Rows
	l.Quote, l.Escape, l.FillShort = "", Doubled, true
}

// LineWord is what a line of the source is called.
func (l *Layout) LineWord() string {
	if l.Format == SheetRows {
		return "row"
	}
	return "line"
}

// Options say how to open a sheet or file of the layout.
func (l *Layout) Options(sheet string) Options {
	return Options{
		Encoding: l.Encoding, Sheet: sheet, Cells: l.Cells, LeaveHidden: l.Hidden == HiddenLeave, FillMerged: l.Merged == MergedEach,
	}
}

// LineEnds are the words for the ends of lines.
var LineEnds = []string{"lf", "crlf", "crcrlf", "cr", "mixed"}

// DelimiterNames are words for delimiters that are hard to write or to see.
var DelimiterNames = map[string]string{
	"comma": ",", "semicolon": ";", "tab": "\t", "pipe": "|", "colon": ":", "none": "", Spaces: Spaces, WideSpaces: WideSpaces,
}
