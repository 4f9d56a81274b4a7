// Package export writes the rows of a table or a query to a file: delimited text, a
// workbook or Parquet. Rows are streamed, and the file has another name until it is
// whole.
package export

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/note"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// Options say what a file is written like.
type Options struct {
	Layout  source.Layout // of text, and the name of the first sheet
	Header  bool
	Quoted  bool   // every cell is quoted
	Null    string // the word for NULL
	Replace bool   // a file that exists is replaced
	Stdout  io.Writer
	// Progress, unless nil, is called from time to time with the number of rows.
	Progress func(rows int64)
}

// Result is what was written.
type Result struct {
	From    string   `json:"from"`
	Table   string   `json:"table"` // "" for a query
	File    string   `json:"file"`
	Rows    int64    `json:"rows"`
	Columns []string `json:"columns"`
	Bytes   int64    `json:"bytes"`
	SHA256  string   `json:"sha256"`
	// Notes report what the format of the file does not preserve.
	Notes []note.Note `json:"notes"`
}

// Work is what is exported: what is read, and the columns that are written of it.
type Work struct {
	Table   *table.Table
	Query   string // instead of the table's rows
	Columns []Column
}

// Table exports all columns of a table.
func Table(ctx context.Context, from database.Target, name string) (*Work, error) {
	live, err := columnsOf(ctx, from, name)
	if err != nil {
		return nil, err
	}
	return newWork(name, "", live, from), nil
}

// columnsOf returns the columns of a table whose rows can all be read.
func columnsOf(ctx context.Context, from database.Target, name string) ([]database.ColumnInfo, error) {
	live, err := database.LiveColumns(ctx, from, name)
	if err != nil {
		return nil, err
	}
	hides, err := database.HidesRows(ctx, from, name)
	if hides {
		err = &database.Error{Target: from.Name(), Op: "read " + name, Kind: database.ErrHidden}
	}
	return live, err
}

// Query exports the rows of a query.
func Query(ctx context.Context, from database.Target, query string) (*Work, error) {
	q, err := database.Require[database.Querier](from, from, "exporting a query")
	if err != nil {
		return nil, err
	}
	columns, err := q.Describe(ctx, query)
	if err != nil {
		return nil, err
	}
	return newWork("", query, columns, from), nil
}

func newWork(name, query string, live []database.ColumnInfo, from database.Target) *Work {
	w := &Work{Table: &table.Table{Name: name}, Query: query}
	for i, l := range live {
		c := table.Column{From: l.Name, Name: l.Name, Type: table.Type{Kind: table.Text}, Nullable: true}
		if l.Known && l.Type != nil {
			c.Type = *l.Type
		}
		w.Table.Columns = append(w.Table.Columns, c)
		w.Columns = append(w.Columns, newColumn(&c, i, &l, from.Dialect()))
	}
	return w
}

// Tray exports the table of a tray in the columns, formats and words of its source.
func Tray(ctx context.Context, from database.Target, t *tray.Tray) (*Work, error) {
	live, err := columnsOf(ctx, from, t.Table.Name)
	if err != nil {
		return nil, err
	}
	w := &Work{Table: &table.Table{Name: t.Table.Name}}
	for i := range t.Table.Columns {
		c := t.Table.Columns[i]
		switch {
		case c.Value != "": // it is not in the source
			continue
		case c.LeaveOut:
			w.Columns = append(w.Columns, Column{Heading: c.From, at: -1})
			continue
		}
		at := slices.IndexFunc(live, func(l database.ColumnInfo) bool { return strings.EqualFold(l.Name, c.Name) })
		if at < 0 {
			return nil, fmt.Errorf("table %s has no column %s, which is in %s", t.Table.Name, c.Name, t.Dir)
		}
		c.Name = live[at].Name
		w.Columns = append(w.Columns, newColumn(&c, len(w.Table.Columns), &live[at], from.Dialect()))
		if c.Type.Kind == table.Boolean && live[at].Type != nil && live[at].Type.Summable() {
			c.Type = *live[at].Type // which has 1 and 0 for true and false
		}
		w.Table.Columns = append(w.Table.Columns, c)
	}
	return w, nil
}

// rowWriter writes rows to a file.
type rowWriter interface {
	// Row writes a row, which it may change.
	Row(row []value.Value) error
	// Close writes what is left.
	Close() error
	// Notes returns notes on what the format does not preserve.
	Notes() []note.Note
	// Drop removes what is kept elsewhere meanwhile, after Close or in its place.
	Drop() error
}

// FormatError is returned for a file whose ending names a format that is not written.
type FormatError struct{ File, Ending string }

func (e *FormatError) Error() string {
	return fmt.Sprintf("write %s: %s is a format that export does not write", e.File, e.Ending)
}

// unwritten are the endings of formats in which nobody expects delimited text.
var unwritten = []string{".xls", ".xlsm", ".xlsb", ".ods", ".xml", ".html", ".htm", ".json", ".jsonl", ".ndjson", ".yaml", ".yml", ".sql", ".db", ".sqlite", ".accdb", ".mdb", ".dbf", ".avro", ".orc", ".pdf", ".docx"}

// newWriter returns the writer of the format that the ending of a file says: a workbook,
// Parquet, or text with any other.
func newWriter(w io.Writer, path string, columns []Column, o *Options) (rowWriter, error) {
	ending := Ending(path)
	switch {
	case ending == ".xlsx":
		return newBookWriter(w, columns, o)
	case ending == ".parquet":
		return newParquetWriter(w, columns)
	case slices.Contains(unwritten, ending):
		return nil, &FormatError{path, ending}
	}
	if o.Layout.Format == source.Fixed {
		return newFixedWriter(w, columns, o)
	}
	return newTextWriter(w, columns, o)
}

// Run writes a work to the file at path.
func Run(ctx context.Context, from database.Target, w *Work, path string, o Options) (res *Result, err error) {
	release, err := database.Snapshot(ctx, from)
	if err != nil {
		return nil, err
	}
	defer release()
	f, err := create(ctx, path, o.Replace, o.Stdout)
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, f.drop())
		}
	}()
	null := w.setNull(&o)
	out, err := newWriter(f, path, w.Columns, &o)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, out.Drop()) }()
	res = &Result{From: from.Name(), Table: w.Table.Name, File: path}
	for _, c := range w.Columns {
		res.Columns = append(res.Columns, c.Heading)
	}
	empty := int64(0)
	err = w.read(ctx, from, func(row []value.Value) error {
		res.Rows++
		if w.isEmpty(row) {
			empty++
		}
		if res.Rows%progressEvery == 0 {
			err := ctx.Err()
			if err != nil {
				return err
			}
			if o.Progress != nil {
				o.Progress(res.Rows)
			}
		}
		return out.Row(row)
	})
	if err == nil {
		err = out.Close()
	}
	if err == nil {
		err = f.finish()
	}
	if err != nil {
		return nil, err
	}
	res.Bytes, res.SHA256, res.Notes = f.size, f.sha256(), out.Notes()
	_, typed := out.(*parquetWriter)
	if empty > 0 && null == "" && !typed {
		res.Notes = append(res.Notes, note.About(note.Count(empty, "row has", "rows have")+" no value, and programs skip such lines; --null WORD writes a word for NULL"))
	}
	return res, nil
}

// setNull sets what is written for NULL, and returns it.
func (w *Work) setNull(o *Options) (null string) {
	null = o.Null
	if null == "" && o.Layout.Escape == source.ServerEscapes {
		null = value.DumpedNull
	}
	for i := range w.Columns {
		w.Columns[i].null = []byte(null)
	}
	return null
}

const progressEvery = 10_000

func (w *Work) read(ctx context.Context, from database.Target, each database.EachRow) error {
	if w.Query == "" {
		return from.Rows(ctx, w.Table, each)
	}
	q, err := database.Require[database.Querier](from, from, "exporting a query")
	if err != nil {
		return err
	}
	return q.QueryRows(ctx, w.Query, w.Table, each)
}
