package load

import (
	"cmp"
	"encoding/json"
	"os"
	"path/filepath"
	"time"

	"ambertray/internal/database"
	"ambertray/internal/differ"
	"ambertray/internal/ledger"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/publish"
	"ambertray/internal/record"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// receiptFile is the name of the receipt in the folder of a load.
const receiptFile = "receipt.json"

// Receipt is the evidence of one load.
type Receipt struct {
	ID          string           `json:"id"`   // unique, by which the ledger knows it
	Load        string           `json:"load"` // its id within the tray
	Started     time.Time        `json:"started"`
	InLedger    bool             `json:"in_ledger"`
	Tray        string           `json:"tray"`
	Target      string           `json:"target"`
	Table       string           `json:"table"`
	Existing    string           `json:"existing"`
	ByPosition  bool             `json:"by_position"` // columns were fitted to the table's by their order
	Outcome     Outcome          `json:"outcome"`
	Mended      bool             `json:"mended"` // it is the rejects of the load that were loaded
	Undone      bool             `json:"undone"` // its rows were removed later
	Merged      *database.Merged `json:"merge"`  // null unless rows were merged
	Source      []Part           `json:"source"`
	LeftOut     []LoadedPart     `json:"left_out"` // files and sheets that the table had before
	Counts      Counts           `json:"counts"`
	Rejects     Rejects          `json:"rejects"`
	Verify      Depth            `json:"verify"`
	Verified    bool             `json:"verified"`
	Differences []Difference     `json:"differences"`
	ResumedFrom int64            `json:"resumed_from"` // rows that were committed before it was interrupted
	Committed   int64            `json:"committed"`    // rows that stay although verification failed
	Lanes       int              `json:"lanes"`        // connections that loaded side by side
	Shared      *Shared          `json:"shared"`       // null unless the load was shared
	Remarks     []string         `json:"remarks"`      // on how the rows went in
	Notes       []note.Note      `json:"notes"`        // on the data
	Phases      []Phase          `json:"phases"`

	RowsDiffer *differ.Result  `json:"rows_differ"` // null unless rows differ
	Rows       []ShownRow      `json:"rows"`        // the first ones, as the table has them, if they were asked for
	Controls   []pass.Control  `json:"controls"`    // what the source states below its records
	Columns    []ColumnFigures `json:"columns"`     // of the table, as the source has them
	Headings   []string        `json:"headings"`    // of the source
	Layout     source.Layout   `json:"layout"`
	Skipped    record.Skipped  `json:"skipped"` // rows by the rule that left them out
}

// Part is one file or sheet of the source.
type Part struct {
	Source   string  `json:"source"`
	Sheet    *string `json:"sheet"`
	Index    int     `json:"index"` // its number among all files and sheets of the source, from 0
	Bytes    int64   `json:"bytes"`
	SHA256   string  `json:"sha256"`  // of the file as it is
	Content  string  `json:"content"` // the SHA-256 of its text, however it is packed and encoded
	Read     int64   `json:"read"`
	Loaded   int64   `json:"loaded"`
	Rejected int64   `json:"rejected"`

	textBytes int64
}

// Title is what people call the part.
func (p *Part) Title() string {
	if p.Sheet == nil {
		return p.Source
	}
	return p.Source + record.SheetSign + *p.Sheet
}

// LoadedPart is a file or sheet of the source that an earlier load has loaded.
type LoadedPart struct {
	Source string       `json:"source"`
	Load   string       `json:"load"` // the id of that load in the ledger
	Entry  ledger.Entry `json:"-"`

	part int
}

// Difference is a number that is one thing in the source and another in the table.
type Difference struct {
	Figure string `json:"figure"` // what is counted: rows, records
	Source string `json:"source"`
	Table  string `json:"table"`
}

// ShownRow is a row of the source and what the table has of it.
type ShownRow struct {
	Source  string   `json:"source"` // the file or sheet
	Line    int64    `json:"line"`
	Text    string   `json:"text"`     // of the line
	InTable []string `json:"in_table"` // the values in the table, null if it lacks the row
}

// ColumnFigures are the figures of the values that were loaded into a column.
type ColumnFigures struct {
	Name string `json:"name"`
	table.Figures
}

// Counts add up: Read = Loaded + Rejected + Skipped.
type Counts struct {
	Read     int64 `json:"read"`
	Loaded   int64 `json:"loaded"`
	Rejected int64 `json:"rejected"`
	Skipped  int64 `json:"skipped"`
	// TableBefore and TableAfter are the rows of the table, null where only those of
	// the load were examined.
	TableBefore *int64 `json:"table_before"`
	TableAfter  *int64 `json:"table_after"`
}

// Rejects says where the rejected records are and why.
type Rejects struct {
	File     *string        `json:"file"` // null without rejects, or if other loaders have all of them
	ByReason []reject.Group `json:"by_reason"`
}

// Phase is how long a part of the load took.
type Phase struct {
	Phase         string  `json:"phase"`
	Seconds       float64 `json:"seconds"`
	RowsPerSecond float64 `json:"rows_per_second"`
}

// newReceipt returns the receipt of a load that begins.
func newReceipt(t *tray.Tray, plan *table.Table, to database.Target, headings []string, o Options) *Receipt {
	now := time.Now().UTC().Truncate(time.Microsecond)
	return &Receipt{
		ID: ledger.NewID(now), Started: now, Tray: t.Dir, Target: to.Name(), Table: plan.Name, Existing: plan.Existing.String(), ByPosition: plan.ByPosition,
		Lanes: 1, Verify: cmp.Or(o.Verify, EveryRow), Layout: t.Layout, Headings: headings, Differences: []Difference{}, Remarks: []string{},
		LeftOut: []LoadedPart{}, Columns: []ColumnFigures{}, Controls: []pass.Control{}, Rows: []ShownRow{},
		Notes: append([]note.Note{}, o.Notes...), Rejects: Rejects{ByReason: []reject.Group{}},
	}
}

// RejectsHere returns how many rejects the file of the load has. Loaders of a shared load on other
// machines keep theirs.
func (r *Receipt) RejectsHere() (n int64) {
	if r.Shared == nil {
		return r.Counts.Rejected
	}
	for _, g := range r.Rejects.ByReason {
		n += g.Count
	}
	return n
}

// addNote adds a note, unless it is one of those that the draft had.
func (r *Receipt) addNote(n note.Note) { r.Notes = note.Add(r.Notes, n) }

// plan returns the plan that the load went by: the tray's, but for what its
// command line has said of the table.
func (r *Receipt) plan(t *tray.Tray) *table.Table {
	plan := t.Table
	plan.Name, plan.ByPosition = r.Table, r.ByPosition
	existing, err := table.ParseExisting(r.Existing)
	if err == nil {
		plan.Existing = existing
	}
	return &plan
}

func (r *Receipt) marshal() ([]byte, error) {
	text, err := json.MarshalIndent(r, "", "  ")
	return append(text, '\n'), err
}

// write puts the receipt into the folder of its load, which has ended. Its error is an UnrecordedError.
func (r *Receipt) write(dir, name string) error {
	return r.unrecorded(r.publish(dir, name))
}

// unrecorded returns that error for a receipt, nil for nil.
func (r *Receipt) unrecorded(err error) error {
	if err == nil {
		return nil
	}
	return &UnrecordedError{Done: "the load is done, but its receipt could not be written", Rejected: r.Counts.Rejected, Err: err}
}

func (r *Receipt) publish(dir, name string) error {
	text, err := r.marshal()
	if err != nil {
		return err
	}
	return publish.File(filepath.Join(dir, name), text)
}

// ReadReceipt reads the receipt in the folder of a load.
func ReadReceipt(dir string) (*Receipt, error) { return readReceipt(dir, receiptFile) }

func readReceipt(dir, name string) (*Receipt, error) {
	text, err := os.ReadFile(filepath.Join(dir, name))
	if err != nil {
		return nil, err
	}
	r := &Receipt{}
	return r, json.Unmarshal(text, r)
}
