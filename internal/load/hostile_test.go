package load_test

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"ambertray/internal/intake"
	"ambertray/internal/load"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/survey"
)

// hostile is a made-up file and the truth about it.
type hostile struct {
	rng       *rand.Rand
	delimiter string
	quote     string // "" where nothing is quoted
	lineEnd   string
	encoding  string
	width     int
	headings  []string
	kinds     []func(*rand.Rand) string
	text      strings.Builder
	records   [][]string // as they are to be cut
	ragged    int
	broken    int // that cannot be read
	skipped   int // lines that are not records
	header    int // its line
}

var hostileKinds = []func(*rand.Rand) string{
	func(r *rand.Rand) string { return strconv.Itoa(r.IntN(100_000) - 500) },
	func(r *rand.Rand) string { return fmt.Sprintf("%d.%02d", r.IntN(5000), r.IntN(100)) },
	func(r *rand.Rand) string {
		return fmt.Sprintf("20%02d-%02d-%02d", r.IntN(30), 1+r.IntN(12), 1+r.IntN(28))
	},
	func(r *rand.Rand) string { return fmt.Sprintf("%05d", r.IntN(3000)) },
	func(r *rand.Rand) string { return hostileText(r) },
	func(r *rand.Rand) string { return hostileText(r) },
}

var hostilePieces = []string{"gnat", "fern", "Tern Island", "old", " ", "ü", "é", "-", "(x)", "5\" nail", "it's", "a,b", "c;d", "e|f", "g\th", "\"so\"", "line\nbreak", "N/A", "#3", "0", "=1", "\\"}

// hostileText returns a text that begins with a letter.
func hostileText(r *rand.Rand) string {
	text := string(rune('a' + r.IntN(26)))
	for range r.IntN(5) {
		text += hostilePieces[r.IntN(len(hostilePieces))]
	}
	return text + string(rune('a'+r.IntN(26)))
}

func pick[T any](r *rand.Rand, list ...T) T { return list[r.IntN(len(list))] }

// newHostile makes up a file.
func newHostile(rng *rand.Rand) *hostile {
	h := &hostile{
		rng: rng, delimiter: pick(rng, ",", ";", "\t", "|"), quote: pick(rng, `"`, `"`, `"`, ""),
		lineEnd: pick(rng, "\n", "\n", "\r\n", "\r\r\n"), encoding: pick(rng, "utf-8", "utf-8", "windows-1252", "utf-16le"), width: 2 + rng.IntN(6),
	}
	for i := range h.width {
		h.headings = append(h.headings, fmt.Sprintf("%s %c", pick(rng, "Loan", "Name", "Mass", "Place"), 'a'+i))
		h.kinds = append(h.kinds, hostileKinds[rng.IntN(len(hostileKinds))])
	}
	h.kinds[0] = hostileKinds[rng.IntN(3)] // something to know records by
	for range rng.IntN(3) {
		h.line("Kestrel Bay Museum", true)
	}
	h.header = 1 + strings.Count(h.text.String(), "\n")
	h.line(strings.Join(h.headings, h.delimiter), false)
	for range 5 + rng.IntN(40) {
		switch rng.IntN(40) {
		case 0:
			h.line(pick(rng, "", "  "), true)
		case 1:
			h.addRagged()
		case 2:
			h.addBroken()
		default:
			h.add()
		}
	}
	if rng.IntN(4) == 0 && h.width > 2 {
		h.line("Total"+strings.Repeat(h.delimiter, h.width-1), true)
	}
	return h
}

func (h *hostile) line(text string, skipped bool) {
	h.text.WriteString(text + h.lineEnd)
	if skipped {
		h.skipped++
	}
}

// cells makes up the cells of a record. Where nothing is quoted they have no sign
// that would need it, and where the encoding is not Unicode none that it lacks.
func (h *hostile) cells(n int) (cells []string) {
	for i := range n {
		cell := h.kinds[i%h.width](h.rng)
		if h.lineEnd != "\n" {
			cell = strings.ReplaceAll(cell, "\n", " ")
		}
		if h.quote == "" {
			cell = strings.Map(func(r rune) rune {
				if strings.ContainsRune(h.delimiter+"\n", r) {
					return '_'
				}
				return r
			}, cell)
		}
		if i > 0 && h.rng.IntN(15) == 0 {
			cell = ""
		}
		cells = append(cells, cell)
	}
	return cells
}

func (h *hostile) write(cells []string) {
	written := make([]string, len(cells))
	for i, cell := range cells {
		written[i] = cell
		if h.quote != "" && (strings.ContainsAny(cell, h.delimiter+"\"\n") || h.rng.IntN(8) == 0) {
			written[i] = `"` + strings.ReplaceAll(cell, `"`, `""`) + `"`
		}
	}
	h.line(strings.Join(written, h.delimiter), false)
}

func (h *hostile) add() {
	cells := h.cells(h.width)
	h.records = append(h.records, cells)
	h.write(cells)
}

// addRagged adds a record with more or fewer cells than the header.
func (h *hostile) addRagged() {
	n := h.width + pick(h.rng, 2, 3)
	if h.width > 3 && h.rng.IntN(2) == 0 {
		n = h.width - 2
	}
	cells := h.cells(n)
	h.records = append(h.records, cells)
	h.ragged++
	h.write(cells)
}

// addBroken adds a record that cannot be cut: a quote that is never closed, in a
// line of another width.
func (h *hostile) addBroken() {
	if h.quote == "" {
		return
	}
	h.broken++
	h.records = append(h.records, nil)
	h.line("7"+h.delimiter+`"open`+strings.Repeat(h.delimiter+"x", h.width+3), false)
}

// fill fills the short records.
func (h *hostile) fill() {
	for i, cells := range h.records {
		if len(cells) > 0 && len(cells) < h.width {
			h.ragged--
			h.records[i] = append(cells, make([]string, h.width-len(cells))...)
		}
	}
}

func (h *hostile) bytes(t *testing.T) []byte {
	t.Helper()
	text := []byte(h.text.String())
	var err error
	switch h.encoding {
	case "windows-1252":
		text, err = charmap.Windows1252.NewEncoder().Bytes(text)
	case "utf-16le":
		text, err = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().Bytes(text)
	}
	require.NoError(t, err)
	return text
}

// TestHostile makes up files that are ragged, quoted, broken and encoded in any
// way, surveys and checks them, and finds every cell unchanged: no record
// is lost, altered, or skipped. AMBERTRAY_TEST_HOSTILE_FILES sets how many.
func TestHostile(t *testing.T) {
	files := 500
	seed := uint64(29)
	more, err := strconv.Atoi(os.Getenv("AMBERTRAY_TEST_HOSTILE_FILES"))
	if err == nil {
		files, seed = more, uint64(time.Now().UnixNano())
	}
	t.Logf("seed %d", seed)
	dir := t.TempDir()
	misread := 0
	for n := range files {
		h := newHostile(rand.New(rand.NewPCG(seed, uint64(n))))
		path := filepath.Join(dir, "loans.csv")
		require.NoError(t, os.WriteFile(path, h.bytes(t), 0o600))
		what := fmt.Sprintf("file %d of seed %d, %s, %q: %q", n, seed, h.encoding, h.delimiter, h.text.String())
		s, err := survey.Run(context.Background(), &source.Opener{}, []string{path}, survey.Options{})
		require.NoError(t, err, what)
		lay := s.Layout
		if lay.Delimiter != h.delimiter || lay.HeaderLine != int64(h.header) {
			misread++
			t.Logf("layout %q, header %d: %s", lay.Delimiter, lay.HeaderLine, what)
			continue
		}
		require.Equal(t, int64(h.skipped), s.Skipped.Total(), "skipped %+v of %s", s.SkippedRows, what)
		require.Equal(t, int64(len(h.records)), s.Records, what)
		if lay.FillShort { // more than a few lack the same cells
			h.fill()
		}
		cut := h.cut(t, path, lay)
		if lay.Encoding != h.encoding && len(lay.Readings) > 0 { // a guess, and said to be one
			misread++
			continue
		}
		if lay.Quote == "" { // then a quote that opens is text, in a record of another width
			for i, cells := range cut {
				if h.records[i] == nil && len(cells) != h.width {
					cut[i] = nil
				}
			}
		}
		require.Equal(t, h.records, cut, what)
		c, err := load.DryRun(context.Background(), s.Draft(filepath.Join(dir, "loans.tray")), &source.Opener{}, nil, load.CheckOptions{})
		require.NoError(t, err, what)
		require.Equal(t, int64(h.ragged+h.broken), c.Rejected(), what)
	}
	require.LessOrEqual(t, misread, files/100, "layouts that were not found")
}

// cut returns the cells of every record by a layout, nil for one that cannot be
// cut.
func (h *hostile) cut(t *testing.T, path string, lay source.Layout) (rows [][]string) {
	t.Helper()
	in, err := intake.Open(context.Background(), &source.Opener{}, []string{path}, lay, intake.Expected{}, false)
	require.NoError(t, err)
	defer in.Close()
	work := func(b *record.Batch) (list [][]string, _ error) {
		for r := range b.Len() {
			var cells []string
			for c := range b.Width(r) {
				cells = append(cells, string(bytes.Clone(b.Cell(r, c))))
			}
			list = append(list, cells)
		}
		return list, nil
	}
	err = record.Run(context.Background(), in, []record.Work[[][]string]{work}, func(list [][]string) error {
		rows = append(rows, list...)
		return nil
	})
	require.NoError(t, err)
	return rows
}
