package source

// Layout is how a source is cut into records. What a survey detects and what a
// tray tells are both written as one.
type Layout struct {
	Format    string `json:"format"`   // "delimited"
	Encoding  string `json:"encoding"` // "utf-8"
	BOM       bool   `json:"bom"`
	Delimiter string `json:"delimiter"`
	Quote     string `json:"quote"`    // "" when cells are not quoted
	LineEnd   string `json:"line_end"` // "lf" or "crlf"
	// HeaderLine is the line of the header, 0 when there is none.
	HeaderLine    int64 `json:"header_line"`
	FirstDataLine int64 `json:"first_data_line"`
	// Told names the facts that were not detected but told.
	Told []string `json:"told"`
}
