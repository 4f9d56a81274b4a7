package format

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"ambertray/internal/source"
)

// TestRandomSheets writes tables of random columns into sheets, as numbers, dates and texts, below
// titles, above notes and beside a blank column, and compares every heading and cell with
// what is read.
func TestRandomSheets(t *testing.T) {
	for k := range 60 {
		r := rand.New(rand.NewPCG(40, uint64(k)))
		columns := randomColumns(r)
		table := randomTable(r, columns, 3+r.IntN(30))
		s := newSheet(t)
		s.row, s.left = 1+r.IntN(3)*r.IntN(2), 1+r.IntN(2)*r.IntN(2)
		for range r.IntN(3) {
			s.write([]string{"Kestrel Bay Museum, specimens", "Printed 2026-11-02", "Report 17"}[r.IntN(3)])
		}
		if s.row > 1 {
			s.row += r.IntN(2)
		}
		for _, cells := range table {
			s.write(cells...)
		}
		s.row += r.IntN(2)
		if r.IntN(3) == 0 {
			s.write(randomTotal(r, columns)...)
		}
		s.row++
		if r.IntN(3) == 0 {
			s.write("Source: the register of the museum")
		}
		if r.IntN(4) == 0 {
			s.write("Notes")
			s.write("1. Masses are in grams.")
		}
		if s.left > 1 {
			for i := range table {
				table[i] = append([]string{""}, table[i]...)
			}
			table[0][0] = "column_1"
		}
		require.Equal(t, table, s.read(), "table %d", k)
	}
}

// sheetWriter writes the cells of a sheet.
type sheetWriter struct {
	*testing.T
	book        *excelize.File
	day, moment int // styles
	row, left   int // from 1, where the next row begins
}

func newSheet(t *testing.T) *sheetWriter {
	s := &sheetWriter{T: t, book: excelize.NewFile()}
	var err error
	s.day, err = s.book.NewStyle(&excelize.Style{NumFmt: 14})
	require.NoError(t, err)
	s.moment, err = s.book.NewStyle(&excelize.Style{NumFmt: 22})
	require.NoError(t, err)
	return s
}

// write writes a row: numbers and dates as such, if they are not codes.
func (s *sheetWriter) write(cells ...string) {
	for c, cell := range cells {
		at, err := excelize.CoordinatesToCellName(s.left+c, s.row)
		require.NoError(s, err)
		v, style := any(cell), 0
		n, err := strconv.ParseFloat(cell, 64)
		if err == nil && strconv.FormatFloat(n, 'f', -1, 64) == cell {
			v = n
		}
		for layout, of := range map[string]int{"2006-01-02": s.day, "2006-01-02 15:04:05": s.moment} {
			day, err := time.Parse(layout, cell)
			if err == nil {
				v, style = day, of
			}
		}
		if cell != "" {
			require.NoError(s, s.book.SetCellValue("Sheet1", at, v))
			require.NoError(s, s.book.SetCellStyle("Sheet1", at, at, style))
		}
	}
	s.row++
}

// read returns the headings and the records that are read from the sheet.
func (s *sheetWriter) read() [][]string {
	path := filepath.Join(s.TempDir(), fmt.Sprint(s.row, ".xlsx"))
	require.NoError(s, s.book.SaveAs(path))
	src, err := new(source.Opener).Open(context.Background(), path, source.Options{})
	require.NoError(s, err)
	defer src.Close()
	_, headings, rows, _ := readSource(s.T, src)
	return tableOf(headings, rows)
}
