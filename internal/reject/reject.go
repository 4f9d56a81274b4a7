// Package reject keeps the records that were not loaded, and sums them up.
package reject

import (
	"bufio"
	"encoding/csv"
	"os"
	"slices"
	"strconv"
	"strings"
)

// Header returns the header of a file of rejects for a source with the given
// headings.
func Header(headings []string) []string {
	return append(append(slices.Clone(columns), headings...), original)
}

// Group is how many rejects have the same column and reason.
type Group struct {
	Column  string `json:"column"` // "" when the record as a whole is at fault
	Reason  string `json:"reason"`
	Count   int64  `json:"count"`
	Example string `json:"example"`
	Line    int64  `json:"line"` // of the example
}

// Summary groups rejects by column and reason.
type Summary struct {
	groups map[[2]string]*Group
}

// Add counts a reject.
func (s *Summary) Add(column, reason, example string, line int64) {
	s.AddGroup(Group{column, reason, 1, example, line})
}

// AddGroup counts a group of rejects.
func (s *Summary) AddGroup(more Group) {
	if s.groups == nil {
		s.groups = map[[2]string]*Group{}
	}
	g := s.groups[[2]string{more.Column, more.Reason}]
	if g == nil {
		s.groups[[2]string{more.Column, more.Reason}] = &more
		return
	}
	g.Count += more.Count
}

// Groups returns the groups, the largest first.
func (s *Summary) Groups() []Group {
	list := []Group{}
	for _, g := range s.groups {
		list = append(list, *g)
	}
	slices.SortFunc(list, func(a, b Group) int {
		if a.Count != b.Count {
			return int(b.Count - a.Count)
		}
		return int(a.Line - b.Line)
	})
	return list
}

// Total returns the number of rejects.
func (s *Summary) Total() (n int64) {
	for _, g := range s.groups {
		n += g.Count
	}
	return n
}

// Writer writes rejects to a file, which it makes for the first of them.
type Writer struct {
	Path     string
	Headings []string
	Sources  []string // by the Part of a reject
	Again    bool     // the rejects were read from such a file, with all of its cells
	file     *os.File
	buffer   *bufio.Writer
	csv      *csv.Writer
}

// Write appends rejects.
func (w *Writer) Write(rejects ...Reject) error {
	for _, r := range rejects {
		err := w.write(r)
		if err != nil {
			return err
		}
	}
	return nil
}

func (w *Writer) write(r Reject) error {
	err := w.Open()
	if err != nil {
		return err
	}
	reason := strings.Join(append([]string{r.Reason}, r.More...), "; ")
	row := []string{w.Sources[r.Part], strconv.FormatInt(r.Record, 10), strconv.FormatInt(r.Line, 10), r.Column, r.Value, reason}
	switch {
	case r.Cells != nil && w.Again:
		copy(row, r.Cells[:PlaceCells])
		row = append(row, r.Cells[len(columns):]...)
	case r.Cells != nil:
		row = append(append(row, r.Cells...), "")
	default:
		row = append(append(row, make([]string, len(w.Headings))...), strings.ReplaceAll(r.Text, "\x1f", "\t"))
	}
	return w.csv.Write(Mark(row))
}

// Open makes the file, with its header, if it is not made yet.
func (w *Writer) Open() (err error) {
	if w.file != nil {
		return nil
	}
	w.file, err = os.Create(w.Path)
	if err != nil {
		return err
	}
	w.buffer = bufio.NewWriter(w.file)
	w.csv = csv.NewWriter(w.buffer)
	return w.csv.Write(Mark(Header(w.Headings)))
}

// Close makes sure that every reject is on the disk.
func (w *Writer) Close() error {
	if w.file == nil {
		return nil
	}
	w.csv.Flush()
	err := w.csv.Error()
	if err == nil {
		err = w.buffer.Flush()
	}
	if err == nil {
		err = w.file.Sync()
	}
	closeErr := w.file.Close()
	if err == nil {
		err = closeErr
	}
	return err
}
