package survey

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"

	"github.com/dustin/go-humanize"

	"ambertray/internal/infer"
	"ambertray/internal/intake"
	"ambertray/internal/note"
	"ambertray/internal/parse"
	"ambertray/internal/publish"
	"ambertray/internal/table"
)

// profileFile is the file in a tray that keeps what its source held when it was drafted.
const profileFile = "surveyed.json"

// Profile is what the source of a tray held, to compare other files with.
type Profile struct {
	Records int64    `json:"records"`
	Columns []Column `json:"columns"`
}

// KeepProfile writes the profile into the folder of a tray.
func (s *Survey) KeepProfile(dir string) error {
	text, err := json.MarshalIndent(Profile{s.Records, s.Columns}, "", "  ")
	if err != nil {
		return err
	}
	return publish.File(filepath.Join(dir, profileFile), append(text, '\n'))
}

// ReadProfile reads the profile of a tray, or os.ErrNotExist.
func ReadProfile(dir string) (*Profile, error) {
	text, err := os.ReadFile(filepath.Join(dir, profileFile))
	if err != nil {
		return nil, err
	}
	p := &Profile{}
	return p, json.Unmarshal(text, p)
}

// What is out of the ordinary: a range that grew to more than wider times what it was, a
// share of blanks that changed by more than shifted, and a number of records or distinct
// values that is more than multiplied of what it was, or less than that part of it.
const (
	wider      = 3
	shifted    = 0.2
	multiplied = 2
	fewValues  = 20 // a column with no more distinct values is one of codes
)

// Compare returns what is different in a survey from the profile of a tray: first the
// columns, then the number of records, then the values column by column.
func (p *Profile) Compare(s *Survey) (notes []note.Note) {
	var want, got []string
	now := map[string]*Column{}
	for i := range p.Columns {
		want = append(want, p.Columns[i].Heading)
	}
	for i := range s.Columns {
		c := &s.Columns[i]
		got = append(got, c.Heading)
		now[c.Heading] = c
	}
	if !slices.Equal(want, got) {
		d := intake.Compare("", want, got)
		notes = append(notes, note.About("columns differ from those of the data that the plan was drafted from: "+d.String()))
	}
	if differs(float64(p.Records), float64(s.Records)) {
		notes = append(notes, note.About(fmt.Sprintf("%s; the plan was drafted from %s", note.Count(s.Records, "record", "records"), humanize.Comma(p.Records))))
	}
	for i := range p.Columns {
		was := &p.Columns[i]
		c := now[was.Heading]
		if c != nil {
			for _, what := range was.changes(c, p.Records, s.Records) {
				notes = append(notes, note.On(c.Heading, what))
			}
		}
	}
	return notes
}

func differs(was, is float64) bool { return is > was*multiplied || is*multiplied < was }

// changes says what is out of the ordinary in a column that was surveyed again.
func (c *Column) changes(now *Column, records, nowRecords int64) (what []string) {
	add := func(format string, args ...any) { what = append(what, fmt.Sprintf(format, args...)) }
	for _, k := range now.Kinds {
		if len(c.Kinds) > 0 && !slices.ContainsFunc(c.Kinds, func(o infer.Kind) bool { return o.Name == k.Name }) {
			add("%s of a new kind, %s, such as %q %s", note.Count(k.Count, "value is", "values are"), k.Name, k.Examples[0].Text, k.Examples[0].Place())
		}
	}
	before, after := share(c.Blanks, records), share(now.Blanks, nowRecords)
	if c.Blanks == 0 && now.Blanks > 0 || math.Abs(after-before) > shifted {
		were := "none were"
		if c.Blanks > 0 {
			were = fmt.Sprintf("%.0f%% were", math.Ceil(100*before))
		}
		add("%.0f%% of the values are blank, and %s", math.Ceil(100*after), were)
	}
	if c.Key && !now.Key && now.Distinct < nowRecords-now.Blanks {
		add("values are repeated: %s distinct of %s", humanize.Comma(now.Distinct), humanize.Comma(nowRecords-now.Blanks))
	}
	if c.Distinct <= fewValues && now.Distinct > fewValues && differs(float64(c.Distinct), float64(now.Distinct)) {
		add("%s distinct values, previously %s", humanize.Comma(now.Distinct), humanize.Comma(c.Distinct))
	}
	text := c.beyond(now)
	if text != "" {
		add("%s", text)
	}
	return what
}

func share(part, all int64) float64 {
	if all == 0 {
		return 0
	}
	return float64(part) / float64(all)
}

// beyond says that values are far outside of what they were.
func (c *Column) beyond(now *Column) string {
	typ, err := table.ParseType(c.Type)
	if err != nil || typ.Textual() || c.Min == nil || c.Max == nil || now.Min == nil || now.Max == nil {
		return ""
	}
	was := [2]string{*c.Min, *c.Max}
	is := [2]string{*now.Min, *now.Max}
	var at [4]float64
	for i, text := range append(was[:], is[:]...) {
		n, ok := c.position(text)
		if !ok {
			return ""
		}
		at[i] = n
	}
	room := (at[1] - at[0]) * wider
	if room == 0 || at[2] >= at[0]-room && at[3] <= at[1]+room {
		return ""
	}
	return fmt.Sprintf("%s to %s, previously %s to %s", is[0], is[1], was[0], was[1])
}

// position returns where a number or a moment of the column is on its line.
func (c *Column) position(text string) (float64, bool) {
	n, err := strconv.ParseFloat(text, 64)
	if err == nil {
		return n, true
	}
	typ, err := table.ParseType(c.Type)
	if err != nil || c.Format == nil {
		return 0, false
	}
	v, err := parse.Default(table.Column{Type: typ, Format: *c.Format, Default: &text})
	return float64(v.Int), err == nil
}
