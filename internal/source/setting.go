package source

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/agnivade/levenshtein"

	"ambertray/internal/sheet"
)

// Setting is a setting of a layout: an option of the command line, with hyphens for
// underscores, or a key of the tray.
type Setting struct {
	Key, Help string
	set       func(l *Layout, val string) error
	get       func(l *Layout) string
}

// sourceSettings are about the files of a source.
var sourceSettings = []Setting{
	{"drift", "if files or sheets differ in their columns: refuse, or fill missing columns with NULL",
		func(l *Layout, v string) error { return oneOf(&l.Drift, v, DriftRefuse, DriftFill) },
		func(l *Layout) string { return cmp.Or(l.Drift, DriftRefuse) }},
	{"encoding", "character encoding: utf-8, windows-1252, shift_jis …",
		func(l *Layout, v string) error {
			l.Encoding = strings.ToLower(v)
			_, err := EncodingByName(v)
			return err
		},
		func(l *Layout) string { return l.Encoding }},
}

// frameSettings set what surrounds the records.
var frameSettings = []Setting{
	{"line_end", "line ending: " + strings.Join(LineEnds, ", "),
		func(l *Layout, v string) error { return oneOf(&l.LineEnd, v, LineEnds...) },
		func(l *Layout) string { return l.LineEnd }},
	{"comment", "prefix of comment lines, or none",
		func(l *Layout, v string) error { l.Comment = fromNone(v); return nil },
		func(l *Layout) string { return orNone(l.Comment) }},
	{"ruler", "skip lines of dashes and similar characters",
		func(l *Layout, v string) error { return setTruth(&l.Ruler, v) },
		func(l *Layout) string { return strconv.FormatBool(l.Ruler) }},
	{"header", "line of the header, first and last line of a header with several (3-4), or none", setHeader, (*Layout).Header},
	{"description_lines", "number of lines below the header that describe the columns",
		func(l *Layout, v string) error { return setLine(&l.DescriptionLines, v, 0) },
		func(l *Layout) string { return strconv.FormatInt(l.DescriptionLines, 10) }},
	{"first_data_line", "line of the first record if there is no header, or found to detect it in each file",
		func(l *Layout, v string) error {
			l.HeaderLine = 0
			return setOrFound(&l.FirstDataLine, &l.FindFirstDataLine, v, 1)
		},
		func(l *Layout) string { return foundOr(l.FirstDataLine, l.FindFirstDataLine) }},
	{"footer", "number of trailing rows that are not records, such as totals, or found to detect them in each file",
		func(l *Layout, v string) error { return setOrFound(&l.Footer, &l.FindFooter, v, 0) },
		func(l *Layout) string { return foundOr(l.Footer, l.FindFooter) }},
	{"fill_short", "fill records with too few cells with NULL",
		func(l *Layout, v string) error { return setTruth(&l.FillShort, v) },
		func(l *Layout) string { return strconv.FormatBool(l.FillShort) }},
}

// sheetSettings are those of workbooks.
var sheetSettings = []Setting{
	{"sheet", "sheet of a workbook: a name, a number, a pattern such as '2026-*', or all",
		func(l *Layout, v string) error { l.Sheet = v; return nil },
		func(l *Layout) string { return l.Sheet }},
	{"cells", "part of a sheet: a range such as B3:H200, or the name of a range or a table", setCells,
		func(l *Layout) string { return l.Cells }},
	{"hidden", "hidden rows and columns of a sheet: take or leave",
		func(l *Layout, v string) error { return oneOf(&l.Hidden, v, HiddenTake, HiddenLeave) },
		func(l *Layout) string { return cmp.Or(l.Hidden, HiddenTake) }},
	{"merged", "the value of merged cells is in the first of them or in each",
		func(l *Layout, v string) error { return oneOf(&l.Merged, v, MergedFirst, MergedEach) },
		func(l *Layout) string { return cmp.Or(l.Merged, MergedFirst) }},
}

// delimitedSettings are those of delimited text.
var delimitedSettings = []Setting{
	{"delimiter", "text between cells: a character, a short string, or comma, semicolon, tab, pipe, colon, space, spaces, wide_spaces, none", setDelimiter,
		func(l *Layout) string { return l.Delimiter }},
	{"quote", "character around cells, or none", setQuote, func(l *Layout) string { return orNone(l.Quote) }},
	{"escape", `how a quote is written inside quotes: doubled, backslash, or none, where only a quote before a delimiter or line ending closes a cell; server: all escapes of database servers, such as \t`,
		func(l *Layout, v string) error {
			return oneOf(&l.Escape, v, Doubled, Backslash, Unescaped, ServerEscapes)
		},
		func(l *Layout) string { return l.Escape }},
	{"skip_spaces", "ignore spaces around cells",
		func(l *Layout, v string) error { return setTruth(&l.SkipSpaces, v) },
		func(l *Layout) string { return strconv.FormatBool(l.SkipSpaces) }},
	{"text_formulas", `read ="0012" as the text 0012`,
		func(l *Layout, v string) error { return setTruth(&l.TextFormulas, v) },
		func(l *Layout) string { return strconv.FormatBool(l.TextFormulas) }},
}

// fixedSettings are those of text with columns at fixed places.
var fixedSettings = []Setting{
	{"columns", "positions of fixed columns, in characters from 1: 1-8,9-20,21-",
		setColumns,
		func(l *Layout) string { return orNone(l.Columns) }},
	{"record_length", "length in characters of fixed-length records without line endings, or 0 if each line is a record",
		func(l *Layout, v string) error { return setLine(&l.RecordLength, v, 0) },
		func(l *Layout) string { return strconv.FormatInt(l.RecordLength, 10) }},
}

// Settings returns what can be set: the settings of each format, and those of all.
func Settings() (all []Setting) {
	all = append(all, sourceSettings...)
	for i := range Formats {
		all = append(all, Formats[i].Settings...)
	}
	return append(all, frameSettings...)
}

// DefaultLayout is the layout of RFC 4180 with a header, which a tray starts
// from.
func DefaultLayout() Layout {
	return Layout{
		Format: Delimited, Encoding: utf8Name, LineEnd: "lf", HeaderLine: 1, Overrides: []string{},
		Delimiting: Delimiting{Delimiter: ",", Quote: `"`, Escape: Doubled},
	}
}

// Set sets a setting of the layout.
func (l *Layout) Set(key, val string) error {
	settings := Settings()
	i := slices.IndexFunc(settings, func(s Setting) bool { return s.Key == key })
	if i < 0 {
		return fmt.Errorf("unknown setting %q", key)
	}
	err := settings[i].set(l, val)
	if err != nil {
		return fmt.Errorf("%s %q: %w", key, val, err)
	}
	if !slices.Contains(l.Overrides, key) {
		l.Overrides = append(l.Overrides, key)
	}
	return nil
}

// exclusive lists pairs of settings that exclude each other, and why.
var exclusive = [][3]string{
	{"header", "first_data_line", "records begin below a header; leave out first_data_line, or set description_lines for lines between them"},
	{"first_data_line", "description_lines", "all lines above the first record are skipped; leave out description_lines"},
	{"columns", "delimiter", "columns are at fixed places or delimited; leave out one of the two"},
	{"columns", "quote", noQuotes}, {"columns", "escape", noQuotes}, {"columns", "skip_spaces", noQuotes}, {"columns", "text_formulas", noQuotes},
}

const noQuotes = "cells at fixed places have no quotes, and the spaces around them are ignored; leave out one of the two"

// ExcludesAny reports whether a setting and one of others exclude each other.
func ExcludesAny(key string, others []string) bool {
	return slices.ContainsFunc(exclusive, func(pair [3]string) bool {
		return pair[0] == key && slices.Contains(others, pair[1]) || pair[1] == key && slices.Contains(others, pair[0])
	})
}

// CheckTogether returns an error if settings that have a value exclude each other.
func CheckTogether(value func(key string) (val string, ok bool)) error {
	off := []string{"none", "0", "false"}
	for _, pair := range exclusive {
		one, hasOne := value(pair[0])
		other, hasOther := value(pair[1])
		if hasOne && hasOther && !slices.Contains(off, one) && !slices.Contains(off, other) {
			return fmt.Errorf("%s %q and %s %q exclude each other: %s", pair[0], one, pair[1], other, pair[2])
		}
	}
	header, _ := value("header")
	lines, described := value("description_lines")
	if header == "none" && described && lines != "0" {
		return fmt.Errorf("header %q and description_lines %q exclude each other: description lines are below a header; set first_data_line to the line of the first record", header, lines)
	}
	quote, _ := value("quote")
	escape, escaped := value("escape")
	if quote == "none" && escaped && escape != ServerEscapes {
		return fmt.Errorf("quote %q and escape %q exclude each other: escape says how a quote is written in a quoted cell; escape server reads backslashes without quotes", quote, escape)
	}
	return nil
}

// SetAll sets the settings that have a value, in the order of Settings, up to the first error.
func (l *Layout) SetAll(value func(key string) (val string, ok bool)) error {
	err := CheckTogether(value)
	if err != nil {
		return err
	}
	for _, s := range Settings() {
		val, ok := value(s.Key)
		if !ok {
			continue
		}
		err := l.Set(s.Key, val)
		if err != nil {
			return err
		}
	}
	return l.CheckSigns()
}

// CheckSigns returns an error if one sign is to delimit cells and to quote them.
func (l *Layout) CheckSigns() error {
	if l.Quote != "" && l.Quote == l.Delimiter {
		return fmt.Errorf("delimiter %q and quote %q are the same sign", l.Delimiter, l.Quote)
	}
	return nil
}

// Default describes the value that applies if the setting is not set.
func (s Setting) Default() string {
	switch s.Key {
	case "fill_short":
		return "false"
	case "record_length":
		return "0"
	case "drift":
		return DriftRefuse
	case "hidden":
		return HiddenTake
	case "merged":
		return MergedFirst
	}
	return "detected"
}

// Truth reports whether the setting is true or false.
func (s Setting) Truth() bool {
	return slices.Contains([]string{"ruler", "fill_short", "skip_spaces", "text_formulas"}, s.Key)
}

// Option is the name of its option of the command line.
func (s Setting) Option() string { return strings.ReplaceAll(s.Key, "_", "-") }

// Get returns the setting as Set takes it.
func (s Setting) Get(l *Layout) string { return s.get(l) }

// setCells takes a range, or a name as workbooks have them.
func setCells(l *Layout, v string) error {
	c, err := sheet.ParseCells(v)
	switch {
	case err == nil:
		l.Cells = c.String()
	case strings.ContainsAny(v, " :,;!$'\""):
		return fmt.Errorf("write a range such as B3:H200, or a name")
	default:
		l.Cells = v
	}
	return nil
}

// setColumns makes the format one of columns at fixed places.
func setColumns(l *Layout, v string) error {
	l.Columns = fromNone(v)
	if l.Columns != "" {
		l.Format = Fixed
	}
	return nil
}

// setDelimiter makes the format one with a delimiter, if that was open.
func setDelimiter(l *Layout, v string) error {
	if l.Format == Fixed {
		l.Format = Delimited
	}
	word := strings.ToLower(v)
	named, ok := DelimiterNames[word]
	if ok {
		l.Delimiter = named
		return nil
	}
	if word == "space" {
		l.Delimiter = " "
		return nil
	}
	for _, name := range slices.Sorted(maps.Keys(DelimiterNames)) {
		if levenshtein.ComputeDistance(name, word) <= len(name)/3 {
			return fmt.Errorf("write %s if you meant that, or another text between cells", name)
		}
	}
	l.Delimiter = strings.ReplaceAll(v, `\t`, "\t")
	if strings.ContainsAny(l.Delimiter, "\r\n") {
		return fmt.Errorf("a line end cannot delimit cells")
	}
	return nil
}

func setQuote(l *Layout, v string) error {
	l.Quote = fromNone(v)
	if len(l.Quote) > 1 || l.Quote != "" && l.Quote[0] >= 0x80 {
		return fmt.Errorf("write one character of ASCII, or none")
	}
	return nil
}

func setHeader(l *Layout, v string) error {
	if v == "none" {
		l.HeaderLine = 0
		return nil
	}
	first, last, several := strings.Cut(v, "-")
	err := setLine(&l.HeaderLine, first, 1)
	l.HeaderLines = 1
	if several && err == nil {
		err = setLine(&l.HeaderLines, last, l.HeaderLine)
		l.HeaderLines -= l.HeaderLine - 1
	}
	if err != nil || l.HeaderLines > maxHeader {
		return fmt.Errorf("write its line number, none, or the first and last line of a header with up to %d lines: 3-4", maxHeader)
	}
	return nil
}

// setOrFound sets a number from least on, or that it is detected in each file.
func setOrFound(to *int64, found *bool, v string, least int64) error {
	*to, *found = 0, v == Found
	if *found {
		return nil
	}
	err := setLine(to, v, least)
	if err != nil {
		return fmt.Errorf("%w, or %s", err, Found)
	}
	return nil
}

// foundOr is what setOrFound sets.
func foundOr(n int64, found bool) string {
	if found {
		return Found
	}
	return strconv.FormatInt(n, 10)
}

// maxHeader is how many lines a header may have.
const maxHeader = 8

// Header returns the line or lines of the header, as they are set.
func (l *Layout) Header() string {
	switch {
	case l.HeaderLine == 0:
		return "none"
	case l.HeaderLines > 1:
		return fmt.Sprintf("%d-%d", l.HeaderLine, l.HeaderLine+l.HeaderLines-1)
	}
	return strconv.FormatInt(l.HeaderLine, 10)
}

func setLine(to *int64, v string, least int64) error {
	n, err := strconv.ParseInt(v, 10, 64)
	if err != nil || n < least {
		return fmt.Errorf("write a number from %d on", least)
	}
	*to = n
	return nil
}

func setTruth(to *bool, v string) error {
	b, err := strconv.ParseBool(v)
	if err != nil {
		return fmt.Errorf("write true or false")
	}
	*to = b
	return nil
}

func oneOf(to *string, v string, words ...string) error {
	if !slices.Contains(words, v) {
		return fmt.Errorf("write one of %s", strings.Join(words, ", "))
	}
	*to = v
	return nil
}

func orNone(s string) string {
	if s == "" {
		return "none"
	}
	return s
}

func fromNone(s string) string {
	if s == "none" {
		return ""
	}
	return s
}
