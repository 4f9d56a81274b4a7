package load

import (
	"cmp"
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"time"

	"ambertray/internal/database"
	"ambertray/internal/differ"
	"ambertray/internal/figures"
	"ambertray/internal/intake"
	"ambertray/internal/ledger"
	"ambertray/internal/pass"
	"ambertray/internal/proof"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// Verification is what holding a table against its source has shown.
type Verification struct {
	Tray        string         `json:"tray"`
	Target      string         `json:"target"`
	Table       string         `json:"table"`
	State       ledger.State   `json:"state"` // of the last load; "" if the ledger does not have it, or cannot be read
	Read        int64          `json:"read"`
	Convertible int64          `json:"would_load"`
	Rejected    int64          `json:"would_reject"`
	Skipped     int64          `json:"skipped"`
	Rows        int64          `json:"table_rows"`
	Elsewhere   int64          `json:"elsewhere"`    // rows of the table that are not of the source
	Copies      int64          `json:"copies"`       // rows that occur more often than in the source
	Mended      int64          `json:"mended"`       // records that were corrected and loaded later
	NotCompared []string       `json:"not_compared"` // headings of the source that the table has no column for
	Verified    bool           `json:"verified"`
	Differences []Difference   `json:"differences"`
	RowsDiffer  *differ.Result `json:"rows_differ"` // null unless rows differ
	FirstRows   []ShownRow     `json:"rows"`
	Controls    []pass.Control `json:"controls"`
	Layout      source.Layout  `json:"-"`
	Parts       []PartRows     `json:"parts"`
	Columns     []Compared     `json:"columns"`
}

// Compared is one column with its figures: those of the rows that the source gives
// and, if they were asked for, those of all rows of the table.
type Compared struct {
	Name   string         `json:"name"`
	Source table.Figures  `json:"source"`
	Table  *table.Figures `json:"table"`
	// Checksum means that the sum is of the bits of doubles, of days or of microseconds, and
	// only useful for comparing.
	Checksum bool `json:"-"`
}

// VerifyOptions say how a table is verified.
type VerifyOptions struct {
	Whole   bool // rows of the table that are not of the source are differences
	Figures bool // the figures of the table's columns are wanted
	Rows    int  // how many of the first rows are shown, as the table has them
	// File names the differences; "" is a file in the folder of the last load.
	File     string
	Progress func(pass.Progress)
}

// Verify reads the source of the tray again and compares the table with it, row by
// row: the rows of the last load, with what was mended of it. It changes nothing in
// the database; differences are named in a file in the folder of the load.
func Verify(ctx context.Context, t *tray.Tray, from *source.Opener, to database.Target, o VerifyOptions) (*Verification, error) {
	err := ResolvePending(ctx, t, to)
	if err != nil {
		return nil, err
	}
	last, err := readLast(t)
	if err != nil {
		return nil, err
	}
	plan, err := last.fit(ctx, t, to)
	if err != nil {
		return nil, err
	}
	entry, _ := ledger.Find(ctx, to, last.mark) // only to explain a result: a login may not be allowed to read it
	release, err := database.Snapshot(ctx, to)
	if err != nil {
		return nil, err
	}
	defer release()
	v := &Verification{Tray: t.Dir, State: entry.State, Layout: t.Layout, Target: to.Name(), Table: plan.Name, Differences: []Difference{}, Controls: []pass.Control{}, NotCompared: []string{}}
	w := &verifying{Verification: v, to: to, plan: plan, last: last, hash: rowHash(plan, to.Dialect()), options: o}
	err = w.readTable(ctx)
	if err != nil {
		return nil, err
	}
	err = w.readSource(ctx, t, from)
	if err != nil {
		return nil, err
	}
	v.FirstRows, err = showRows(ctx, o.Rows, w.sources[0], plan, to.Dialect(), allRows(to, plan))
	if err != nil {
		return nil, err
	}
	if w.source != w.table {
		err := w.findDifferences(ctx)
		if err != nil {
			return nil, err
		}
	}
	if len(v.Parts) > 1 && v.Elsewhere == 0 {
		err := countParts(ctx, to, plan, v.Parts)
		if err != nil {
			return nil, err
		}
		v.Differences = append(v.Differences, compareParts(v.Parts)...)
	}
	v.Verified = len(v.Differences) == 0 && v.RowsDiffer == nil
	return v, nil
}

// verifying is the state of a verification.
type verifying struct {
	*Verification
	to            database.Target
	plan          *table.Table
	last          *lastLoad
	hash          proof.RowHash
	options       VerifyOptions
	sources       []sourceRows
	source, table proof.Sum
	figures       []table.Figures // of the table, if they are wanted
}

// readTable sums the rows of the table.
func (w *verifying) readTable(ctx context.Context) (err error) {
	var totals *figures.Totals
	if w.options.Figures {
		totals = figures.NewTotals(w.to.Dialect().StoredTypes(w.plan))
	}
	err = w.to.Rows(ctx, w.plan, func(row []value.Value) error {
		w.table.Add(w.hash(row, nil))
		if totals != nil {
			totals.Row(row)
		}
		return nil
	})
	w.Rows = w.table.Rows
	if totals != nil {
		w.figures = totals.Figures()
	}
	return err
}

// readSource sums the rows that the source gives, and what was mended of it.
func (w *verifying) readSource(ctx context.Context, t *tray.Tray, from *source.Opener) error {
	o := pass.Options{Dialect: w.to.Dialect(), Table: w.plan, Load: w.last.mark, Refused: w.last.refused, Progress: w.options.Progress, Hash: w.hash}
	open := func(ctx context.Context) (*pass.Pass, error) { return pass.Open(ctx, t, from) }
	p, err := open(ctx)
	if err != nil {
		return err
	}
	defer p.Close()
	out, err := p.Run(ctx, o)
	if err != nil {
		return err
	}
	w.sources = []sourceRows{{open, o, nil}}
	totals := out.Totals
	mended, err := w.last.mended(ctx, t, from, o)
	if err != nil {
		return err
	}
	if mended.out != nil {
		totals.Add(mended.out.Totals)
		w.sources = append(w.sources, mended.rows)
		w.Mended = mended.out.Loaded
		w.source = expected(mended.out)
	}
	w.source = w.source.Plus(expected(out))
	w.Read, w.Convertible, w.Rejected, w.Skipped = out.Read(), out.Loaded+w.Mended, out.Rejects.Total()-w.Mended, out.Skipped.Total()
	w.Parts = partsOf(out, mended.parts)
	for i := range out.Parts {
		w.Controls = append(w.Controls, out.Parts[i].Controls...)
	}
	if mended.out != nil && len(out.Parts) == 1 {
		w.addMended(mended.out)
	}
	loaded := w.plan.Loaded()
	for i, f := range totals.Figures() {
		col := &loaded[i]
		stored := w.to.Dialect().Stored(col.Type)
		c := Compared{Name: col.Name, Source: f, Checksum: stored.Kind == table.Double || stored.Kind == table.Date || stored.HasClock()}
		if w.figures != nil {
			c.Table = &w.figures[i]
		}
		w.Columns = append(w.Columns, c)
	}
	return nil
}

// addMended adds what was mended to what is loaded of each total. Of several parts it
// is not known which of them it belongs to.
func (w *verifying) addMended(out *pass.Outcome) {
	sums := out.Totals.Figures()
	for i := range w.Controls {
		c := &w.Controls[i]
		if c.Column == "" {
			c.Loaded = figures.AddSums(c.Loaded, strconv.FormatInt(out.Loaded, 10))
			continue
		}
		at := slices.IndexFunc(w.plan.Loaded(), func(col table.Column) bool { return col.Name == c.Column })
		c.Loaded = figures.AddSums(c.Loaded, sums[at].Sum)
	}
}

// findDifferences compares row by row. Rows that are not of the source are as a rule
// those of other loads.
func (w *verifying) findDifferences(ctx context.Context) error {
	c := &comparison{
		plan: w.plan, dialect: w.to.Dialect(), sources: w.sources, path: cmp.Or(w.options.File, filepath.Join(w.last.dir, differencesFile)), extras: w.options.Whole,
		read: allRows(w.to, w.plan),
	}
	found, err := c.find(ctx)
	if err != nil {
		return err
	}
	w.Elsewhere, w.Copies = found.Others, found.Copies
	if !found.Same() {
		w.RowsDiffer = found
	}
	return nil
}

// lastLoad is what the last load of a tray has left, if there was one.
type lastLoad struct {
	mark, dir string
	receipt   *Receipt // nil without one
	refused   *refusal.List
}

// readLast returns what the last load of the tray's files has left, or of any where
// none is of these.
func readLast(t *tray.Tray) (*lastLoad, error) {
	l := &lastLoad{mark: ledger.NewID(time.Now()), dir: t.Dir}
	ids, err := t.Loads()
	if err != nil {
		return nil, err
	}
	files := filesOf(t) // a folder may have to be watched for a while
	for i := len(ids) - 1; i >= 0; i-- {
		receipt, err := ReadReceipt(t.LoadDir(ids[i]))
		if errors.Is(err, fs.ErrNotExist) { // it loaded nothing
			continue
		}
		if err != nil {
			return nil, err
		}
		ours := receipt.isOf(t, files) && !receipt.Undone
		if ours || l.receipt == nil {
			l.receipt, l.dir, l.mark = receipt, t.LoadDir(ids[i]), receipt.ID
		}
		if ours {
			break
		}
	}
	l.refused, err = readRefused(l.dir)
	return l, err
}

// IsOf reports whether a load was of files of the tray.
func IsOf(r *Receipt, t *tray.Tray) bool { return r.isOf(t, filesOf(t)) }

// filesOf returns the absolute paths of the files of a tray, none where they cannot be
// listed.
func filesOf(t *tray.Tray) map[string]bool {
	files, err := intake.Expand(t.Paths())
	known := map[string]bool{}
	if err == nil {
		for _, f := range files {
			known[tray.Absolute(f)] = true
		}
	}
	return known
}

// isOf reports whether all files of a load are among files of the tray.
func (r *Receipt) isOf(t *tray.Tray, files map[string]bool) bool {
	return len(files) > 0 && !slices.ContainsFunc(r.loaded(t).Paths(), func(path string) bool { return !files[tray.Absolute(path)] })
}

// loaded returns the tray with the files of the load in place of its own. They are found
// with the paths of the load, relative to where the tray is now.
func (r *Receipt) loaded(t *tray.Tray) *tray.Tray {
	of := *t
	of.Files = nil
	for _, p := range r.Source {
		file := tray.RelativePath(r.Tray, p.Source)
		if !slices.Contains(of.Files, file) {
			of.Files = append(of.Files, file)
		}
	}
	return &of
}

// fit returns the plan as that load has gone by it and fitted it to its table.
func (l *lastLoad) fit(ctx context.Context, t *tray.Tray, to database.Target) (*table.Table, error) {
	if l.receipt == nil {
		return &t.Table, nil
	}
	plan := l.receipt.plan(t)
	if l.receipt.Outcome.newTable() {
		return plan, nil
	}
	live, err := database.Columns(ctx, to, plan.Name)
	if err != nil || len(live) == 0 {
		return plan, err
	}
	fitted, bad := fit(plan, live, to.Dialect())
	if bad != nil {
		return nil, &MismatchError{plan.Name, bad}
	}
	return fitted, nil
}

// mendedRows is what was corrected and loaded of the rejects of a load.
type mendedRows struct {
	rows  sourceRows
	out   *pass.Outcome    // nil if nothing was mended
	parts map[string]int64 // by the name of the part
}

func (l *lastLoad) mended(ctx context.Context, t *tray.Tray, from *source.Opener, o pass.Options) (m mendedRows, err error) {
	path := filepath.Join(l.dir, reject.MendedName)
	_, err = os.Stat(path)
	if l.receipt == nil || errors.Is(err, fs.ErrNotExist) {
		return m, nil
	}
	o.Refused = nil
	m.rows = sourceRows{func(ctx context.Context) (*pass.Pass, error) {
		return pass.OpenKept(ctx, t, from, path, l.receipt.Headings)
	}, o, nil}
	p, err := m.rows.open(ctx)
	if err != nil {
		return m, err
	}
	defer p.Close()
	m.out, err = p.Run(ctx, o)
	if err != nil {
		return m, err
	}
	m.parts = map[string]int64{}
	again, err := m.rows.open(ctx)
	if err != nil {
		return m, err
	}
	defer again.Close()
	return m, again.Cells(ctx, func(_ int64, cells []string) error {
		m.parts[cells[0]]++
		return nil
	})
}
