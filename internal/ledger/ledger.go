// Package ledger keeps the ledger: a table in the target that says which
// content was loaded into which table. It is written in the transaction of the
// load, so that it is true whenever the load is there.
package ledger

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"ambertray/internal/create"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// Name is the name of the table.
const Name = "ambertray_ledger"

// ErrNoLedger is returned when the ledger cannot be made.
var ErrNoLedger = errors.New("the ledger cannot be created")

// ErrNames is returned if the encoding of a database lacks characters of the names in an entry.
var ErrNames = errors.New("the ledger cannot hold the names of the source and its tray")

// ErrMoved is returned when another load has gone on with the same entry.
var ErrMoved = errors.New("another load has resumed it")

// DB is what the ledger needs of a database.
type DB interface {
	Dialect() *dialect.Dialect
	// Exists reports whether the database has a table of that name.
	Exists(ctx context.Context, name string) (bool, error)
	// Exec runs a statement and returns how many rows it changed.
	Exec(ctx context.Context, statement string) (rows int64, err error)
	// Query returns the rows of a query as text, NULL as "".
	Query(ctx context.Context, query string) ([][]string, error)
}

// State is what became of a load.
type State string

// Loaded means that all of it is in the table, Partial that the load has
// committed some of it and can continue, Replaced that the table was emptied or
// rebuilt since. InDoubt means that the rows are on several servers, of which it
// is not known whether all have committed. Undone means that its rows were removed again.
const (
	Loaded   State = "loaded"
	Partial  State = "partial"
	Replaced State = "replaced"
	InDoubt  State = "in doubt"
	Undone   State = "undone"
)

// Entry is one load.
type Entry struct {
	ID      string    `json:"id"`
	At      time.Time `json:"at"` // when it began
	Table   string    `json:"table"`
	State   State     `json:"state"`
	Source  string    `json:"source"` // the names of its files
	Bytes   int64     `json:"bytes"`  // of the files
	Content string    `json:"content"`
	Parts   Parts     `json:"parts"` // its files and sheets
	Tray    string    `json:"tray"`
	Load    string    `json:"load"` // its id within the tray
	Read    int64     `json:"read"` // rows after the header, as far as it has come
	Loaded  int64     `json:"loaded"`
	Shares  int       `json:"shares"` // of a shared load, else 0
	Place

	// Last is where the load was when it wrote its entry before, if it did.
	Last *Place `json:"-"`
	// Replaces says that the rows of all earlier loads of the table are gone.
	Replaces bool `json:"-"`
	// Instead are the ids of earlier loads without rows that this load replaces.
	Instead []string `json:"-"`
	// Stage is the name of a table that holds the rows until it takes the name
	// of the table: as long as there is one, the load is not done.
	Stage string `json:"-"`
	// Proof is of a share of the load. It is written instead of the entry, which is there.
	Proof *Proof `json:"-"`
}

// Part is one file or sheet of a load: its name, the SHA-256 of its text, however
// it was packed and encoded, the length of that, and how many rows were loaded.
type Part struct {
	Name    string `json:"name"`
	Content string `json:"content"`
	Bytes   int64  `json:"bytes"`
	Loaded  int64  `json:"loaded"`
}

// Parts are kept in one column of the ledger, as JSON.
type Parts []Part

// Place is the last record that a load has dealt with: the index of its file or
// sheet, and its number there.
type Place struct {
	Part   int   `json:"part"`
	Record int64 `json:"record"`
}

// NewID returns an id for a load that begins now.
func NewID(now time.Time) string {
	var salt [4]byte // loads of several programs may begin in the same second
	_, _ = rand.Read(salt[:])
	return now.UTC().Format("20060102-150405-") + hex.EncodeToString(salt[:])
}

// Content identifies the content of a source by the SHA-256 of its parts.
func Content(sums []string) string {
	if len(sums) == 1 {
		return sums[0]
	}
	all := sha256.Sum256([]byte(strings.Join(sums, "\n")))
	return hex.EncodeToString(all[:])
}

// columns of the table, and what each holds of an entry.
var columns = []struct {
	name string
	typ  table.Type
	of   func(e *Entry) any
}{
	{"id", word(24), func(e *Entry) any { return &e.ID }},
	{"begun_at", word(27), func(e *Entry) any { return &e.At }},
	{"loaded_table", word(130), func(e *Entry) any { return &e.Table }},
	{"state", word(10), func(e *Entry) any { return &e.State }},
	{"source", table.Type{Kind: table.Text, Characters: table.Unicode}, func(e *Entry) any { return &e.Source }},
	{"bytes", whole, func(e *Entry) any { return &e.Bytes }},
	{"content", table.Type{Kind: table.Char, Size: 64}, func(e *Entry) any { return &e.Content }},
	{"parts", table.Type{Kind: table.Text, Characters: table.Unicode}, func(e *Entry) any { return &e.Parts }},
	{"tray", table.Type{Kind: table.Text, Characters: table.Unicode}, func(e *Entry) any { return &e.Tray }},
	{"tray_load", word(20), func(e *Entry) any { return &e.Load }},
	{"rows_read", whole, func(e *Entry) any { return &e.Read }},
	{"rows_loaded", whole, func(e *Entry) any { return &e.Loaded }},
	{"shares", table.Type{Kind: table.Integer}, func(e *Entry) any { return &e.Shares }},
	{"last_part", table.Type{Kind: table.Integer}, func(e *Entry) any { return &e.Part }},
	{"last_record", whole, func(e *Entry) any { return &e.Record }},
	{"stage", word(130), func(e *Entry) any { return &e.Stage }},
}

// plan is the table as dialects know it.
func plan() *table.Table {
	t := &table.Table{Name: Name, Key: []string{"id"}, Comment: "Which content was loaded into which table"}
	for _, c := range columns {
		t.Columns = append(t.Columns, table.Column{Name: c.name, Type: c.typ})
	}
	return t
}

// Make makes the table before a load where definitions commit; made says that
// it was not there. Elsewhere Write makes it.
func Make(ctx context.Context, db DB) (made bool, err error) {
	if !db.Dialect().DDLAutoCommits {
		return false, nil
	}
	return makeTable(ctx, db, plan(), create.Once)
}

// CheckNames reports, before anything is loaded, names of an entry that the database cannot hold.
func CheckNames(ctx context.Context, db DB, e *Entry) error {
	_, err := db.Query(ctx, "SELECT "+db.Dialect().Literal(e.Source+e.Tray))
	if err != nil {
		return fmt.Errorf("%w: %s: %w", ErrNames, e.Source, err)
	}
	return nil
}

// Try finds out in the transaction of a load whether the ledger can be written.
func Try(ctx context.Context, db DB) error {
	made, err := makeTable(ctx, db, plan(), create.Within)
	if !made || err != nil {
		return err
	}
	_, err = creating{db}.Exec(ctx, db.Dialect().RollbackTo(create.Savepoint))
	return err
}

// creating is a session whose statements create a table of the ledger.
type creating struct{ DB }

// Exec implements create.Session.
func (c creating) Exec(ctx context.Context, statement string) (int64, error) {
	n, err := c.DB.Exec(ctx, statement)
	if err != nil {
		err = fmt.Errorf("%w: %w", ErrNoLedger, err)
	}
	return n, err
}

// makeTable creates a table of the ledger in one of the ways of package create.
func makeTable(ctx context.Context, db DB, t *table.Table, way func(context.Context, create.Session, string, create.Exists) (bool, error)) (made bool, err error) {
	return way(ctx, creating{db}, db.Dialect().CreateTable(t), func(ctx context.Context) (bool, error) { return db.Exists(ctx, t.Name) })
}

// Write writes the entry of a load that is about to be committed.
func Write(ctx context.Context, db DB, e *Entry) error {
	if e.Proof != nil {
		return e.Proof.write(ctx, db, e.ID)
	}
	d := db.Dialect()
	way := create.Within
	if d.DDLAutoCommits {
		way = create.Once
	}
	made, err := makeTable(ctx, db, plan(), way)
	if err != nil {
		return err
	}
	var steps []string
	if made && !d.DDLAutoCommits && d.Release(create.Savepoint) != "" {
		steps = append(steps, d.Release(create.Savepoint))
	}
	if e.Replaces && e.Stage == "" { // a stage takes the place of the table only later
		steps = append(steps, replace(d, e.Table, e.ID))
	}
	for _, id := range e.Instead {
		steps = append(steps, fmt.Sprintf("UPDATE %s SET %s = %s WHERE id = %s AND rows_loaded = 0", Name, d.Quote("state"), d.Literal(string(Replaced)), d.Literal(id)))
	}
	if e.Last != nil {
		n, err := db.Exec(ctx, fmt.Sprintf("DELETE FROM %s WHERE id = %s AND last_part = %d AND last_record = %d", Name, d.Literal(e.ID), e.Last.Part, e.Last.Record))
		if err != nil {
			return err
		}
		if n != 1 {
			return fmt.Errorf("load %s: %w", e.ID, ErrMoved)
		}
	}
	var names, values []string
	for _, c := range columns {
		names, values = append(names, d.Quote(c.name)), append(values, literal(d, c.of(e)))
	}
	steps = append(steps, fmt.Sprintf("INSERT INTO %s (%s) VALUES (%s)", Name, strings.Join(names, ", "), strings.Join(values, ", ")))
	for _, s := range steps {
		_, err := db.Exec(ctx, s)
		if err != nil {
			return err
		}
	}
	return nil
}

func literal(d *dialect.Dialect, field any) string {
	switch f := field.(type) {
	case *string:
		return d.Literal(*f)
	case *State:
		return d.Literal(string(*f))
	case *time.Time:
		return d.Literal(f.UTC().Format("2006-01-02T15:04:05.000000Z"))
	case *int64:
		return strconv.FormatInt(*f, 10)
	case *int:
		return strconv.Itoa(*f)
	case *Parts:
		text, _ := json.Marshal(append(Parts{}, *f...)) // which has nothing that cannot be written
		return d.Literal(string(text))
	}
	panic("ledger: a column of no known type")
}

// Read returns the entries, the first first: those of one table, or all.
func Read(ctx context.Context, db DB, tableName string) ([]Entry, error) {
	exists, err := db.Exists(ctx, Name)
	if err != nil || !exists {
		return nil, err
	}
	var names []string
	for _, c := range columns {
		names = append(names, db.Dialect().Quote(c.name))
	}
	query := "SELECT " + strings.Join(names, ", ") + " FROM " + Name
	if tableName != "" {
		query += " WHERE loaded_table = " + db.Dialect().Literal(tableName)
	}
	rows, err := db.Query(ctx, query+" ORDER BY begun_at, id")
	if err != nil {
		return nil, err
	}
	var list []Entry
	for _, row := range rows {
		var e Entry
		for i, c := range columns {
			err := scan(row[i], c.of(&e))
			if err != nil {
				return nil, fmt.Errorf("%s, column %s: %w", Name, c.name, err)
			}
		}
		if e.Stage != "" {
			waiting, err := db.Exists(ctx, e.Stage)
			if err != nil {
				return nil, err
			} else if waiting {
				continue
			}
		}
		if e.State == Partial && e.Shares > 0 {
			err := e.addProved(ctx, db)
			if err != nil {
				return nil, err
			}
		}
		list = append(list, e)
	}
	return list, nil
}

func scan(text string, field any) (err error) {
	switch f := field.(type) {
	case *string:
		*f = text
	case *State:
		*f = State(text)
	case *time.Time:
		*f, err = time.Parse(time.RFC3339, text)
	case *int64:
		*f, err = strconv.ParseInt(text, 10, 64)
	case *int:
		*f, err = strconv.Atoi(text)
	case *Parts:
		err = json.Unmarshal([]byte(text), f)
	}
	return err
}

// replace is the statement that marks the other loads of a table as replaced.
func replace(d *dialect.Dialect, tableName, id string) string {
	return fmt.Sprintf("UPDATE %s SET state = '%s' WHERE loaded_table = %s AND id <> %s", Name, Replaced, d.Literal(tableName), d.Literal(id))
}

// ResolveStages says what became of the loads of a table that were to be renamed
// from a staging table: those whose staging table exists are not done, the others
// are, and have taken the place of all before. It returns the staging tables of
// these.
func ResolveStages(ctx context.Context, db DB, tableName string) (published []string, err error) {
	ledger, err := db.Exists(ctx, Name)
	if err != nil || !ledger {
		return nil, err
	}
	d := db.Dialect()
	rows, err := db.Query(ctx, "SELECT id, stage FROM "+Name+" WHERE stage <> '' AND loaded_table = "+d.Literal(tableName))
	if err != nil {
		return nil, err
	}
	for _, row := range rows {
		id, stage := row[0], row[1]
		waiting, err := db.Exists(ctx, stage)
		if err != nil {
			return nil, err
		}
		steps := []string{"DELETE FROM " + Name + " WHERE id = " + d.Literal(id)}
		if !waiting {
			published = append(published, stage)
			steps = []string{replace(d, tableName, id), "UPDATE " + Name + " SET stage = '' WHERE id = " + d.Literal(id)}
		}
		for _, s := range steps {
			_, err := db.Exec(ctx, s)
			if err != nil {
				return nil, err
			}
		}
	}
	return published, nil
}

// Forget removes the entry of a load that loaded nothing.
func Forget(ctx context.Context, db DB, id string) error {
	_, err := db.Exec(ctx, "DELETE FROM "+Name+" WHERE rows_loaded = 0 AND id = "+db.Dialect().Literal(id))
	return err
}

// Undo marks a load as undone, in the transaction that removes its rows.
func Undo(ctx context.Context, db DB, id string) error {
	n, err := db.Exec(ctx, fmt.Sprintf("UPDATE %s SET state = '%s' WHERE state = '%s' AND id = %s", Name, Undone, Loaded, db.Dialect().Literal(id)))
	if err == nil && n != 1 {
		err = fmt.Errorf("load %s: %w", id, ErrMoved)
	}
	return err
}

// Find returns the entry of a load, or ErrUnknown.
func Find(ctx context.Context, db DB, id string) (Entry, error) {
	entries, err := Read(ctx, db, "")
	if err != nil {
		return Entry{}, err
	}
	e := ByID(entries, id)
	if e == nil {
		return Entry{}, fmt.Errorf("load %s: %w", id, ErrUnknown)
	}
	return *e, nil
}

// ByID returns the entry of a load, or nil.
func ByID(entries []Entry, id string) *Entry {
	at := slices.IndexFunc(entries, func(e Entry) bool { return e.ID == id })
	if at < 0 {
		return nil
	}
	return &entries[at]
}

// ErrUnknown is returned for a load that the ledger does not have.
var ErrUnknown = errors.New("the ledger has no such load")

// ErrFinished is returned for a load that is not one that was interrupted.
var ErrFinished = errors.New("no interrupted load has this id")

// ForgetUnfinished takes the entry of a load that was interrupted, or is in doubt,
// out of the ledger and returns it. The rows that it has committed stay.
func ForgetUnfinished(ctx context.Context, db DB, id string) (Entry, error) {
	entries, err := Read(ctx, db, "")
	if err != nil {
		return Entry{}, err
	}
	for _, e := range entries {
		if e.ID == id && (e.State == Partial || e.State == InDoubt) {
			_, err := db.Exec(ctx, "DELETE FROM "+Name+" WHERE state = '"+string(e.State)+"' AND id = "+db.Dialect().Literal(id))
			if err == nil && e.Shares > 0 {
				err = forgetShares(ctx, db, id)
			}
			return e, err
		}
	}
	return Entry{}, fmt.Errorf("load %s: %w", id, ErrFinished)
}

// EmptyDropper is a database where definitions commit, so that a ledger which a
// failed load made has to be removed.
type EmptyDropper interface {
	// DropEmpty drops a table unless it has rows, also of other sessions.
	DropEmpty(ctx context.Context, table string) error
}

// RemoveEmpty removes a ledger that a failed load made, unless another load has
// used it since.
func RemoveEmpty(ctx context.Context, db DB) error {
	d, ok := db.(EmptyDropper)
	if !ok {
		return nil
	}
	return d.DropEmpty(ctx, Name)
}
