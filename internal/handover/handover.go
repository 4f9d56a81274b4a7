// Package handover writes what is needed to load a source into a database that cannot be
// reached from here: the definition of the table, the rows as the server's own client
// takes them, the statements that load them, and queries that prove it there. All of it
// comes of one pass over the source.
package handover

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"github.com/dustin/go-humanize"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/publish"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// Options of a handover.
type Options struct {
	Dialect  *dialect.Dialect
	Inserts  bool        // the rows are INSERT statements rather than a file for the bulk load
	Parquet  bool        // the rows are a Parquet file, for a warehouse
	Part     int64       // how many rows a file of rows has, or 0 for all of them
	Pack     bool        // files of rows are packed by gzip
	Notes    []note.Note // of the survey by which the plan was drafted
	Progress func(pass.Progress)
}

// File is a file of a handover.
type File struct {
	Name   string `json:"name"`
	Bytes  int64  `json:"bytes"`
	SHA256 string `json:"sha256"`
}

// Column is a column of the table, and the figures that its values must have there.
type Column struct {
	Name string `json:"name"`
	Type string `json:"type"`
	table.Figures
}

// Source is a file or sheet that the rows come from.
type Source struct {
	Source string  `json:"source"`
	Sheet  *string `json:"sheet"`
	Bytes  int64   `json:"bytes"`
	SHA256 string  `json:"sha256"`
	Read   int64   `json:"read"`
	Loaded int64   `json:"loaded"`
}

// Receipt is the evidence of a handover, and the file receipt.json of its folder.
type Receipt struct {
	ID      string    `json:"id"`
	Made    time.Time `json:"made"`
	Folder  string    `json:"folder"`
	Dialect string    `json:"dialect"`
	Title   string    `json:"-"`
	Table   string    `json:"table"`
	Source  []Source  `json:"source"`
	Counts  struct {
		Read     int64 `json:"read"`
		Rows     int64 `json:"rows"`
		Rejected int64 `json:"rejected"`
		Skipped  int64 `json:"skipped"`
	} `json:"counts"`
	Rejects  []reject.Group `json:"rejects"`
	Controls []pass.Control `json:"controls"`
	Notes    []note.Note    `json:"notes"` // on the data
	Columns  []Column       `json:"columns"`
	Files    []File         `json:"files"` // but for this one and the checksums
}

// Names of the files of a handover.
const (
	tableFile   = "table.sql"
	loadFile    = "load.sql"
	verifyFile  = "verify.sql"
	readmeFile  = "README.txt"
	receiptFile = "receipt.json"
	columnsFile = "columns.json"
	sumsFile    = "SHA256SUMS"
)

// Errors of handovers.
var (
	ErrFolder   = errors.New("the folder already exists and is not empty")
	ErrTooMany  = errors.New("too many rejected records")
	ErrVariable = errors.New("has $( in a name, a comment or a default, and sqlcmd would replace it; change it in the tray")
	ErrBlank    = errors.New("has a blank text that is not NULL, and SQLite's own client does not distinguish the two")
	errTwice    = errors.New("the file was written twice")
	errMiscount = errors.New("the number of written rows differs from that of the rows read")
)

// Run writes a handover into a new or empty folder. The folder has another name until it is
// complete.
func Run(ctx context.Context, t *tray.Tray, from *source.Opener, folder string, o Options) (r *Receipt, err error) {
	err = o.Dialect.Check(&t.Table)
	if err != nil {
		return nil, err
	}
	draft, err := newDraft(folder)
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, os.RemoveAll(draft))
		}
	}()
	h := &handover{Options: o, dir: draft, table: &t.Table}
	if o.Dialect == dialect.SQLServer && strings.Contains(h.definition(), "$(") {
		return nil, fmt.Errorf("table %s: %w", t.Table.Name, ErrVariable)
	}
	r, err = h.write(ctx, t, from)
	if err != nil {
		return nil, err
	}
	r.Folder = folder
	err = h.finish(r)
	if err != nil {
		return nil, err
	}
	return r, putInPlace(draft, folder)
}

// newDraft makes a folder beside the one that is wanted.
func newDraft(folder string) (string, error) {
	list, err := os.ReadDir(folder)
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return "", err
	}
	if len(list) > 0 {
		return "", fmt.Errorf("%s: %w", folder, ErrFolder)
	}
	folder = filepath.Clean(folder)
	draft, err := os.MkdirTemp(filepath.Dir(folder), "."+filepath.Base(folder)+".*.new")
	if err != nil {
		return "", err
	}
	return draft, os.Chmod(draft, 0o755) // a temporary folder is its maker's alone
}

// putInPlace gives the draft its name. An empty folder that has it gives way.
func putInPlace(draft, folder string) error {
	err := os.Remove(folder)
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("%s: %w", folder, ErrFolder)
	}
	return publish.Replace(draft, folder)
}

// handover is one that is being written.
type handover struct {
	Options
	dir   string
	table *table.Table
	form  *form
	files []File
	parts []string     // names of the files of rows, as they are unpacked
	blank atomic.Int64 // number, from 1, of a column with a blank text that its client would take for NULL
}

// rowsWriter writes the rows of blocks, which it does not keep.
type rowsWriter interface {
	write(k *convert.Block) error
	close() (rows int64, err error)
}

// write makes the pass, and writes what comes of it.
func (h *handover) write(ctx context.Context, t *tray.Tray, from *source.Opener) (*Receipt, error) {
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	h.form = formOf(h.Options)
	rows, err := h.form.open(h)
	if err != nil {
		return nil, err
	}
	id := ledger.NewID(time.Now())
	rejects := reject.Writer{Path: filepath.Join(h.dir, reject.FileName), Headings: p.Headings, Sources: p.Sources}
	to := h.Dialect
	if h.Parquet {
		to = native
	}
	out, err := p.Run(ctx, pass.Options{Dialect: to, Encoder: h.form.encoder(h), Load: id, Progress: h.Progress, Block: func(k *convert.Block) error {
		err := rejects.Write(k.Rejects...)
		if err != nil {
			return err
		}
		return rows.write(k)
	}})
	n, closeErr := rows.close()
	err = errors.Join(err, closeErr, rejects.Close())
	if err != nil {
		return nil, err
	}
	if n != out.Loaded || out.Read() != n+out.Rejects.Total()+out.Skipped.Total() {
		return nil, fmt.Errorf("%w: %s of %s", errMiscount, humanize.Comma(n), humanize.Comma(out.Loaded))
	}
	at := h.blank.Load()
	if at > 0 && t.Table.Loaded()[at-1].Nullable {
		return nil, fmt.Errorf("column %s: %w", t.Table.Loaded()[at-1].Name, ErrBlank)
	}
	allow := t.Table.Allow
	if allow.Exceeded(out.Rejects.Total(), out.Records) {
		return nil, fmt.Errorf("%w: %s of %s, and the plan allows %s", ErrTooMany, humanize.Comma(out.Rejects.Total()), humanize.Comma(out.Records), allow)
	}
	return h.receipt(id, p, out), nil
}

func (h *handover) receipt(id string, p *pass.Pass, out *pass.Outcome) *Receipt {
	r := &Receipt{ID: id, Made: time.Now().UTC().Truncate(time.Second), Dialect: h.Dialect.Name, Title: h.Dialect.Title, Table: h.table.Name, Rejects: out.Rejects.Groups(), Controls: []pass.Control{}, Notes: append([]note.Note{}, note.Recount(h.Notes, out.Notes)...)}
	r.Counts.Read, r.Counts.Rows, r.Counts.Rejected, r.Counts.Skipped = out.Read(), out.Loaded, out.Rejects.Total(), out.Skipped.Total()
	for i := range out.Parts {
		part := &out.Parts[i]
		r.Source = append(r.Source, Source{part.Name, part.SheetName(), part.Bytes, part.SHA256, part.Read, part.Loaded})
		r.Controls = append(r.Controls, part.Controls...)
	}
	for _, n := range p.LeftOut.Notes() {
		r.Notes = note.Add(r.Notes, n)
	}
	loaded := h.table.Loaded()
	for i, f := range out.Totals.Figures() {
		c := &loaded[i]
		r.Columns = append(r.Columns, Column{c.Name, c.Type.String(), f})
	}
	return r
}

// finish writes the files around the rows.
func (h *handover) finish(r *Receipt) error {
	texts := []struct{ name, text string }{
		{tableFile, h.definition()},
		{loadFile, h.loadText(r)},
		{verifyFile, h.verifyText(r)},
		{columnsFile, h.columnsText()},
	}
	for _, t := range texts {
		if t.name == loadFile && !h.Bulk() { // it exists with the rows, or is not needed
			continue
		}
		err := h.writeFile(t.name, t.text)
		if err != nil {
			return err
		}
	}
	if r.Counts.Rejected > 0 {
		err := h.note(reject.FileName)
		if err != nil {
			return err
		}
	}
	err := h.writeFile(readmeFile, h.readme(r))
	if err != nil {
		return err
	}
	r.Files = h.files
	text, err := json.MarshalIndent(r, "", "  ")
	if err != nil {
		return err
	}
	err = h.writeFile(receiptFile, string(text)+"\n")
	if err != nil {
		return err
	}
	var sums strings.Builder
	for _, f := range h.files {
		fmt.Fprintf(&sums, "%s  %s\n", f.SHA256, f.Name)
	}
	return publish.File(filepath.Join(h.dir, sumsFile), []byte(sums.String()))
}

// definition is the table with its comments, indexes and foreign keys.
func (h *handover) definition() string {
	return statements(append(h.Dialect.BeforeRows(h.table), h.Dialect.Finish(h.table, true)...))
}

// statements ends each with a semicolon and a blank line.
func statements(list []string) string {
	var text strings.Builder
	for _, s := range list {
		text.WriteString(s + ";\n\n")
	}
	return text.String()
}

func (h *handover) writeFile(name, text string) error {
	if filepath.Ext(name) == ".sql" {
		text = string(wrap([]byte(text), h.Dialect.MaxLine))
	}
	err := publish.File(filepath.Join(h.dir, name), []byte(text))
	if err != nil {
		return err
	}
	return h.note(name)
}

// note takes a file that is written into the list of files.
func (h *handover) note(name string) error {
	f, err := os.Open(filepath.Join(h.dir, name))
	if err != nil {
		return err
	}
	defer f.Close()
	sum := newSum()
	n, err := io.Copy(sum, f)
	return errors.Join(err, h.add(File{name, n, sum.hex()}))
}

// add adds a written file to the list of files. A file that was overwritten is an error.
func (h *handover) add(f File) error {
	if slices.ContainsFunc(h.files, func(other File) bool { return other.Name == f.Name }) {
		return fmt.Errorf("%s: %w", f.Name, errTwice)
	}
	h.files = append(h.files, f)
	return nil
}
