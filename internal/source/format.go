package source

import "slices"

// The formats.
const (
	Delimited = "delimited"
	Fixed     = "fixed"
	Sheet     = "sheet"
)

// Format is what everybody needs to know of a format; how it is detected and read
// is in a package of its own.
type Format struct {
	Name     string
	LineWord string    // what a line of it is called
	Text     bool      // it is text, in an encoding, and not a workbook
	Settings []Setting // its own
	fix      func(l *Layout)
}

// Formats lists the formats.
var Formats = []Format{
	{Name: Delimited, LineWord: "line", Text: true, Settings: delimitedSettings, fix: func(*Layout) {}},
	{Name: Fixed, LineWord: "line", Text: true, Settings: fixedSettings, fix: fixPlaces},
	{Name: Sheet, LineWord: "row", Settings: sheetSettings, fix: fixSheet},
}

// FormatNames lists their names.
func FormatNames() (names []string) {
	for i := range Formats {
		names = append(names, Formats[i].Name)
	}
	return names
}

func (l *Layout) format() *Format {
	i := slices.IndexFunc(Formats, func(f Format) bool { return f.Name == l.Format })
	return &Formats[max(i, 0)]
}

// Has reports whether the format of the layout has a setting.
func (l *Layout) Has(key string) bool {
	is := func(s Setting) bool { return s.Key == key }
	return slices.ContainsFunc(l.format().Settings, is) || !slices.ContainsFunc(Formats, func(f Format) bool { return slices.ContainsFunc(f.Settings, is) })
}

// OfSheets reports whether only sheets have the setting, and OfText whether only text has it.
func (s Setting) OfSheets() bool { return s.in(Sheet) }

// OfText is the opposite of OfSheets. A setting that all formats have is neither.
func (s Setting) OfText() bool { return s.in(Delimited) || s.in(Fixed) }

func (s Setting) in(format string) bool {
	l := Layout{Format: format}
	return slices.ContainsFunc(l.format().Settings, func(of Setting) bool { return of.Key == s.Key })
}

// LineWord is what a line of the source is called.
func (l *Layout) LineWord() string { return l.format().LineWord }

// IsText reports whether the source is text, in an encoding, and not a workbook.
func (l *Layout) IsText() bool { return l.format().Text }

// Unquoted reports whether quotes could stand around cells, and do not.
func (l *Layout) Unquoted() bool { return l.Format == Delimited && l.Quote == "" }

// BlankDelimited reports whether runs of spaces are the delimiter. No blank cell can be seen in
// such a record, and the cells after it move.
func (l *Layout) BlankDelimited() bool { return l.Delimiter == Spaces || l.Delimiter == WideSpaces }

// Fix sets what the format of the layout does not leave open.
func (l *Layout) Fix() { l.format().fix(l) }

func fixPlaces(l *Layout) { l.Delimiter, l.Quote, l.Escape = "", "", Doubled }

func fixSheet(l *Layout) {
	fixPlaces(l)
	l.Encoding, l.LineEnd, l.FillShort = utf8Name, Rows, true
}
