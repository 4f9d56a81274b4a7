package load

import (
	"context"
	"encoding/csv"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/differ"
	"ambertray/internal/pass"
	"ambertray/internal/proof"
	"ambertray/internal/publish"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// differencesFile is the name of the file, in the folder of a load, that names each
// row that differs.
const differencesFile = "differences.csv"

// differencesWriter writes differences to a file, which it only makes for one. It is
// in place when it is whole.
type differencesWriter struct {
	path string
	file *os.File
	csv  *csv.Writer
}

func (w *differencesWriter) write(d differ.Difference) error {
	if w.file == nil {
		f, err := os.Create(w.path + ".new")
		if err != nil {
			return err
		}
		w.file, w.csv = f, csv.NewWriter(f)
		err = w.csv.Write([]string{"difference", "key", "source", "line", "column", "in_source", "in_table"})
		if err != nil {
			return err
		}
	}
	line := ""
	if d.Line > 0 {
		line = strconv.FormatInt(d.Line, 10)
	}
	return w.csv.Write([]string{string(d.Kind), d.Key, d.Source, line, d.Column, d.InSource, d.InTable})
}

// close puts the file in place. Without a difference it removes that of an earlier
// comparison.
func (w *differencesWriter) close(err error) error {
	if w.file == nil {
		if err == nil {
			err = os.Remove(w.path)
		}
		if errors.Is(err, fs.ErrNotExist) {
			err = nil
		}
		return err
	}
	w.csv.Flush()
	err = errors.Join(err, w.csv.Error(), w.file.Sync(), w.file.Close())
	if err != nil {
		return errors.Join(err, os.Remove(w.file.Name()))
	}
	return publish.Replace(w.file.Name(), w.path)
}

// comparison finds the rows that differ in a source and a table.
type comparison struct {
	plan    *table.Table
	dialect *dialect.Dialect
	sources []sourceRows
	read    func(context.Context, database.EachRow) error // of the table
	extras  bool                                          // rows that the source lacks are differences
	path    string                                        // of the file that names the differences
}

// find returns what differs.
func (c *comparison) find(ctx context.Context) (*differ.Result, error) {
	hash := rowHash(c.plan, c.dialect)
	w := &differencesWriter{path: c.path}
	f := &differ.Finder{Key: c.plan.Key, Extras: c.extras, Each: w.write}
	t := &tableSide{read: c.read, hash: hash, writers: cellWriters(c.plan, c.dialect)}
	for _, col := range c.plan.Loaded() {
		f.Columns = append(f.Columns, col.Name)
	}
	res, err := f.Find(ctx, &sourceSide{c.sources, hash}, t)
	err = w.close(err)
	if err == nil && !res.Same() {
		res.File = &c.path
	}
	return res, err
}

// sourceRows opens records of a source, and says how they are read.
type sourceRows struct {
	open    func(context.Context) (*pass.Pass, error)
	options pass.Options
	within  func(refusal.Where) bool // which of them count; nil is all
}

// sourceSide is the source in a comparison.
type sourceSide struct {
	sources []sourceRows
	hash    proof.RowHash
}

func (s *sourceSide) Hashes(ctx context.Context, each func(uint64) error) error {
	return s.run(ctx, pass.Options{}, func(_ *pass.Pass, k *convert.Block, i int) error { return each(k.Hashes[i]) })
}

func (s *sourceSide) Rows(ctx context.Context, wanted func(uint64) bool, each func(differ.Row) error) error {
	return s.run(ctx, pass.Options{Encoder: differ.Encoder{}, Lines: true}, func(p *pass.Pass, k *convert.Block, i int) error {
		if !wanted(k.Hashes[i]) {
			return nil
		}
		return each(differ.Row{Hash: k.Hashes[i], Cells: differ.Cells(k.Row(i)), Source: p.Sources[k.Part], Line: k.Lines[i]})
	})
}

// run reads every source, and hands on each row that counts as the index in its
// block.
func (s *sourceSide) run(ctx context.Context, how pass.Options, row func(*pass.Pass, *convert.Block, int) error) error {
	for _, source := range s.sources {
		p, err := source.open(ctx)
		if err != nil {
			return err
		}
		o := source.options
		o.Hash, o.Encoder, o.Lines, o.NoFigures = s.hash, how.Encoder, how.Lines, true
		o.Block = func(k *convert.Block) error {
			for i, n := range k.Numbers {
				if source.within != nil && !source.within(refusal.Where{Part: k.Part, Record: n}) {
					continue
				}
				err := row(p, k, i)
				if err != nil {
					return err
				}
			}
			return nil
		}
		_, err = p.Run(ctx, o)
		err = errors.Join(err, p.Close())
		if err != nil {
			return err
		}
	}
	return nil
}

// tableSide is the table in a comparison.
type tableSide struct {
	read    func(context.Context, database.EachRow) error
	hash    proof.RowHash
	writers []differ.CellWriter
}

func (t *tableSide) Hashes(ctx context.Context, each func(uint64) error) error {
	return t.read(ctx, func(row []value.Value) error { return each(t.hash(row, nil)) })
}

func (t *tableSide) Rows(ctx context.Context, wanted func(uint64) bool, each func(differ.Row) error) error {
	return t.read(ctx, func(row []value.Value) error {
		found := differ.Row{Hash: t.hash(row, nil)}
		if !wanted(found.Hash) {
			return nil
		}
		for i := range row {
			found.Cells = append(found.Cells, t.writers[i](&row[i]))
		}
		return each(found)
	})
}

// findDifferences names the rows of the load that differ in what was read of a
// table. Within, unless nil, says which records of the source count; extras, whether
// rows that it lacks do.
func (j *job) findDifferences(ctx context.Context, read func(context.Context, database.EachRow) error, within func(refusal.Where) bool, extras bool) error {
	if j.Verify == RowsOnly {
		return nil
	}
	c := &comparison{
		plan: j.table, dialect: j.to.Dialect(), path: filepath.Join(j.dir, differencesFile), read: read, extras: extras,
		sources: []sourceRows{{j.open, j.passOptions(), within}},
	}
	found, err := c.find(ctx)
	if err == nil && !found.Same() {
		j.receipt.RowsDiffer = found
	}
	return err
}

// passOptions are those of a pass over what was loaded.
func (j *job) passOptions() pass.Options {
	return pass.Options{Dialect: j.to.Dialect(), Load: j.loadID, Table: j.table, Refused: j.refused}
}
