// Package texttest reads texts for the tests of formats.
package texttest

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/require"

	"ambertray/internal/frame"
	"ambertray/internal/record"
	"ambertray/internal/text"
)

// Row is a record as tests compare it. A broken one has its text for cells.
type Row struct {
	Number, Line int64
	Cells        []string
	Broken       bool
}

// ReadAll reads a text with pieces of the given size.
func ReadAll(t testing.TB, c text.Cutter, in string, size, workers int) []Row {
	t.Helper()
	rows, _ := Read(t, text.NewReader(iotest.HalfReader(strings.NewReader(in)), c, frame.Footer{}, size, 1), workers)
	return rows
}

// Read reads the records of a reader.
func Read(t testing.TB, r record.Reader, workers int) (rows []Row, skipped record.Skipped) {
	t.Helper()
	type part struct {
		rows    []Row
		skipped record.Skipped
	}
	var works []record.Work[part]
	for range workers {
		works = append(works, func(b *record.Batch) (part, error) {
			n := len(b.Oddities)
			if n > 0 && b.Oddities[n-1].Record >= b.Len() {
				return part{}, fmt.Errorf("a batch of %d records has an oddity of record %d", b.Len(), b.Oddities[n-1].Record)
			}
			return part{RowsOf(b), b.Skipped}, nil
		})
	}
	err := record.Run(context.Background(), r, works, func(p part) error {
		rows, skipped = append(rows, p.rows...), skipped.Plus(p.skipped)
		return nil
	})
	require.NoError(t, err)
	return rows, skipped
}

// RowsOf returns the records of a batch.
func RowsOf(b *record.Batch) []Row {
	var rows []Row
	for r := range b.Len() {
		w := Row{Number: b.Number(r), Line: b.Line(r)}
		for c := range b.Width(r) {
			w.Cells = append(w.Cells, string(b.Cell(r, c)))
		}
		for _, o := range b.Oddities {
			if o.Record == r && o.What == record.OpenQuote {
				w.Broken, w.Cells = true, []string{string(b.Text(r))}
			}
		}
		rows = append(rows, w)
	}
	return rows
}
