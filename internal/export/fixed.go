package export

import (
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"ambertray/internal/fixed"
	"ambertray/internal/frame"
	"ambertray/internal/value"
)

// fixedWriter writes text with columns at fixed places, numbers at the right. A value that is
// longer than its column, or that would lose spaces, is an error.
type fixedWriter struct {
	textOutput
	columns []Column
	places  []fixed.Place
	line    strings.Builder
	chars   int // in the line
	length  int // of a record without a line end, or 0
	rows    int64
}

func newFixedWriter(w io.Writer, columns []Column, o *Options) (*fixedWriter, error) {
	lay := &o.Layout
	out, err := newTextOutput(w, lay, o.Header)
	if err != nil {
		return nil, err
	}
	f := &fixedWriter{textOutput: out, columns: columns, length: int(lay.RecordLength)}
	f.places, err = fixed.ParsePlaces(lay.Columns)
	if err != nil {
		return nil, err
	}
	if len(f.places) != len(columns) {
		return nil, fmt.Errorf("the layout has places for %d columns, not for %d", len(f.places), len(columns))
	}
	if !o.Header {
		return f, nil
	}
	for i, c := range columns {
		err := f.add(i, c.Heading)
		if err != nil && c.Heading != frame.Numbered(i) { // a blank heading is read as this one
			return nil, fmt.Errorf("heading: %w", err)
		}
	}
	return f, f.endLine()
}

// Row implements rowWriter.
func (f *fixedWriter) Row(row []value.Value) error {
	f.rows++
	for i := range f.columns {
		c := &f.columns[i]
		text := string(c.null)
		v := c.of(row)
		if v != nil {
			text = string(c.append(nil, v))
		}
		if v != nil && (text == "" || strings.TrimSpace(text) != text) {
			return fmt.Errorf("row %d, column %s: %q would lose its spaces, or be read as NULL, at a fixed place", f.rows, c.Heading, text)
		}
		err := f.add(i, text)
		if err != nil {
			return fmt.Errorf("row %d, column %s: %w", f.rows, c.Heading, err)
		}
	}
	return f.endLine()
}

// add adds a cell at its place.
func (f *fixedWriter) add(i int, cell string) error {
	place, chars := f.places[i], utf8.RuneCountInString(cell)
	switch {
	case cell == "":
		return nil
	case strings.ContainsAny(cell, "\r\n"):
		return fmt.Errorf("%q has a line end in it, which cannot be written at a fixed place", cell)
	case place.End >= 0 && chars > place.End-place.First:
		return fmt.Errorf("%q is longer than the %d characters of its place", cell, place.End-place.First)
	}
	first := place.First
	if place.End >= 0 && f.columns[i].Type.Numeric() {
		first = place.End - chars
	}
	f.line.WriteString(strings.Repeat(" ", first-f.chars))
	f.line.WriteString(cell)
	f.chars = first + chars
	return nil
}

func (f *fixedWriter) endLine() error {
	if f.length > 0 && f.chars > f.length {
		return fmt.Errorf("row %d has %d characters; a record has %d", f.rows, f.chars, f.length)
	}
	line := f.line.String()
	if f.length > 0 {
		line += strings.Repeat(" ", f.length-f.chars)
	}
	encoded, err := f.encoding.Encode([]byte(line + f.newline))
	if err != nil {
		return fmt.Errorf("row %d has a character that %s lacks", f.rows, f.encoding.Name)
	}
	_, err = f.out.Write(encoded)
	f.line.Reset()
	f.chars = 0
	return err
}
