package export

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"
	"unicode/utf16"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"

	"ambertray/internal/note"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// maxSheetRows is how many rows a sheet has. A test sets fewer.
var maxSheetRows = 1_048_576

// maxExactDigits is how many digits of a number a sheet keeps.
const maxExactDigits = 15

// bookWriter writes a workbook of Office Open XML: numbers, dates and truths as such,
// a header that stays in view, and one more sheet where one is full.
type bookWriter struct {
	o       *Options
	columns []Column
	book    *excelize.File
	sheet   *excelize.StreamWriter
	sheets  int
	next    int // row of the sheet
	rows    int64
	styles  []int // of the columns
	rounded []int64
	cells   []any
}

func newBookWriter(w io.Writer, columns []Column, o *Options) (*bookWriter, error) {
	b := &bookWriter{o: o, columns: columns, book: excelize.NewFile(), cells: make([]any, len(columns)), rounded: make([]int64, len(columns))}
	// The library would pack the book in memory, into a writer of its own.
	b.book.SetZipWriter(func(io.Writer) excelize.ZipWriter { return zip.NewWriter(w) })
	for i := range columns {
		style, err := b.style(columns[i].Type)
		if err != nil {
			return nil, err
		}
		b.styles = append(b.styles, style)
	}
	return b, b.addSheet()
}

// numberFormats are those of moments. Parts of a second are shown to the thousandth,
// which is all that a sheet shows.
var numberFormats = map[table.Kind]string{
	table.Date: "yyyy-mm-dd", table.Time: "hh:mm:ss", table.Timestamp: "yyyy-mm-dd hh:mm:ss", table.TimestampTZ: "yyyy-mm-dd hh:mm:ss",
}

func (b *bookWriter) style(t table.Type) (int, error) {
	format := numberFormats[t.Kind]
	if t.Kind == table.Decimal && t.Scale > 0 {
		format = fmt.Sprintf("0.%0*d", t.Scale, 0)
	}
	if format == "" {
		return 0, nil
	}
	return b.book.NewStyle(&excelize.Style{CustomNumFmt: &format})
}

// namesSheet reports whether the sheet of a source is a name, and not all sheets or a pattern.
func namesSheet(sheet string) bool {
	return sheet != "" && sheet != "all" && !strings.ContainsAny(sheet, "*?[")
}

// addSheet ends the sheet and begins the next one.
func (b *bookWriter) addSheet() (err error) {
	if b.sheet != nil {
		err := b.sheet.Flush()
		if err != nil {
			return err
		}
	}
	b.sheets++
	name := fmt.Sprintf("Sheet%d", b.sheets)
	if b.sheets > 1 {
		if strings.EqualFold(name, b.o.Layout.Sheet) { // the first sheet has this name
			name += " (2)"
		}
		_, err = b.book.NewSheet(name)
	} else if namesSheet(b.o.Layout.Sheet) {
		name = b.o.Layout.Sheet
		err = b.book.SetSheetName("Sheet1", name)
	}
	if err != nil {
		return err
	}
	b.sheet, err = b.book.NewStreamWriter(name)
	if err != nil {
		return err
	}
	b.next = 1
	if !b.o.Header {
		return nil
	}
	err = b.sheet.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"})
	if err != nil {
		return err
	}
	for i := range b.columns {
		b.cells[i] = b.columns[i].Heading
	}
	return b.write()
}

func (b *bookWriter) write() error {
	cell, err := excelize.CoordinatesToCellName(1, b.next)
	if err != nil {
		return err
	}
	b.next++
	return b.sheet.SetRow(cell, b.cells)
}

// Row implements rowWriter.
func (b *bookWriter) Row(row []value.Value) error {
	b.rows++
	if b.next > maxSheetRows {
		err := b.addSheet()
		if err != nil {
			return err
		}
	}
	for i := range b.columns {
		c := &b.columns[i]
		v := c.of(row)
		if v == nil {
			b.cells[i] = nil
			if b.o.Null != "" {
				b.cells[i] = b.o.Null
			}
			continue
		}
		content := b.value(i, v)
		text, ok := content.(string)
		if ok {
			err := fitsCell(text)
			if err != nil {
				return fmt.Errorf("row %d, column %s: %w; export to .csv instead", b.rows, c.Heading, err)
			}
		}
		b.cells[i] = excelize.Cell{StyleID: b.styles[i], Value: content}
	}
	return b.write()
}

// value returns what a cell holds. What it cannot hold as it is becomes text.
func (b *bookWriter) value(i int, v *value.Value) any {
	c := &b.columns[i]
	if v.Untyped {
		return string(v.Text)
	}
	switch c.Type.Kind {
	case table.SmallInt, table.Integer, table.BigInt, table.Decimal:
		text := string(v.AppendDecimal(nil))
		if v.Wide || len(text) > maxExactDigits {
			return text
		}
		if v.Scale == 0 {
			return v.Int
		}
		f, _ := strconv.ParseFloat(text, 64)
		return f
	case table.Double:
		short := shorten(v.Float)
		if math.IsInf(short, 0) || math.IsNaN(short) {
			return string(c.append(nil, v))
		}
		if short != v.Float {
			b.rounded[i]++
		}
		return short
	case table.Boolean:
		return v.Int != 0
	case table.Time:
		if v.Int%1000 != 0 {
			return string(c.append(nil, v))
		}
		return float64(v.Int) / microsPerDay
	case table.Date:
		return moment(c, v, v.Int*microsPerDay)
	case table.Timestamp, table.TimestampTZ:
		return moment(c, v, v.Int)
	}
	return string(v.Text)
}

// Notes implements rowWriter. Doubles are rounded rather than written as text, because
// people calculate with them.
func (b *bookWriter) Notes() []note.Note {
	list := []note.Note{}
	for i, n := range b.rounded {
		if n > 0 {
			list = append(list, note.On(b.columns[i].Heading, fmt.Sprintf("%s rounded to %d digits, as many as a workbook keeps; export to .csv or .parquet keeps all digits",
				note.Count(n, "number is", "numbers are"), maxExactDigits)))
		}
	}
	if b.sheets > 1 {
		list = append(list, note.About(fmt.Sprintf("the rows are on %d sheets, because one holds %s; --sheet all reads them as one table", b.sheets, note.Count(int64(maxSheetRows), "row", "rows"))))
	}
	return list
}

// maxCellUnits is how many units of UTF-16 a cell holds.
const maxCellUnits = 32767

// fitsCell returns an error for text that the library would truncate or change.
func fitsCell(text string) error {
	units := 0
	for _, r := range text {
		units += max(utf16.RuneLen(r), 1)
		if r < ' ' && r != '\t' && r != '\n' && r != '\r' || r == '\ufffe' || r == '\uffff' {
			return fmt.Errorf("the character %q cannot be in a workbook", r)
		}
	}
	if !utf8.ValidString(text) {
		return errors.New("bytes that are no text cannot be in a workbook")
	}
	if units > maxCellUnits {
		return fmt.Errorf("%d characters are more than a cell of a workbook holds, %d", units, maxCellUnits)
	}
	return nil
}

// moment returns the serial number of a moment, whose days are counted from
// 1899-12-30; before 1900-03-01 programs disagree about it.
func moment(c *Column, v *value.Value, micros int64) any {
	const firstCommon = -25508
	days := float64(micros) / microsPerDay
	if days < firstCommon || micros%1000 != 0 || micros >= time.Date(10000, 1, 1, 0, 0, 0, 0, time.UTC).UnixMicro() {
		return string(c.append(nil, v))
	}
	return shorten(days + 25569)
}

// shorten rounds a number to the digits that a workbook keeps. The library cuts off what is
// more, which makes the next millisecond of late years the one before.
func shorten(x float64) float64 {
	short, _ := strconv.ParseFloat(strconv.FormatFloat(x, 'g', maxExactDigits, 64), 64)
	return short
}

// Close implements rowWriter.
func (b *bookWriter) Close() error {
	err := b.sheet.Flush()
	if err != nil {
		return err
	}
	return b.book.Write(io.Discard)
}

// Drop implements rowWriter. Sheets are in temporary files until the book is packed.
func (b *bookWriter) Drop() error { return b.book.Close() }
