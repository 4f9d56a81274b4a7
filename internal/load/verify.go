package load

import (
	"cmp"
	"context"
	"path/filepath"
	"slices"
	"strconv"

	"ambertray/internal/database"
	"ambertray/internal/differ"
	"ambertray/internal/figures"
	"ambertray/internal/intake"
	"ambertray/internal/ledger"
	"ambertray/internal/pass"
	"ambertray/internal/proof"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// Verification is what holding a table against its source has shown.
type Verification struct {
	Tray        string       `json:"tray"`
	Target      string       `json:"target"`
	Table       string       `json:"table"`
	State       ledger.State `json:"state"` // of the last load; "" if the ledger does not have it, or cannot be read
	Read        int64        `json:"read"`
	Convertible int64        `json:"would_load"`
	Rejected    int64        `json:"would_reject"`
	Skipped     int64        `json:"skipped"`
	Rows        int64        `json:"table_rows"`
	Elsewhere   int64        `json:"elsewhere"` // rows of the table that are not of the source
	Copies      int64        `json:"copies"`    // rows that occur more often than in the source
	Mended      int64        `json:"mended"`    // records that were corrected and loaded later
	// RejectedElsewhere are rows of the source that are not in the table. Other loaders of shared loads
	// have rejected the same number of rows, and keep them. It is null without such rows.
	RejectedElsewhere *differ.Result `json:"rejected_elsewhere"`
	NotCompared       []string       `json:"not_compared"` // headings of the source that the table has no column for
	RowsHidden        bool           `json:"rows_hidden"`  // row-level security may hide rows of the table
	Verified          bool           `json:"verified"`
	Differences       []Difference   `json:"differences"`
	RowsDiffer        *differ.Result `json:"rows_differ"` // null unless rows differ
	FirstRows         []ShownRow     `json:"rows"`
	Controls          []pass.Control `json:"controls"`
	Layout            source.Layout  `json:"-"`
	Parts             []PartRows     `json:"parts"`
	Columns           []Compared     `json:"columns"`
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
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	entries, _ := ledger.Read(ctx, to, "") // a login may not be allowed to
	past, err := readPast(t, p.Parts(), entries)
	if err != nil {
		return nil, err
	}
	last := past.last
	plan, err := last.fit(ctx, t, to)
	if err != nil {
		return nil, err
	}
	release, err := database.Snapshot(ctx, to)
	if err != nil {
		return nil, err
	}
	defer release()
	v := &Verification{Tray: t.Dir, State: last.state, Layout: t.Layout, Target: to.Name(), Table: plan.Name, Differences: []Difference{}, Controls: []pass.Control{}, NotCompared: []string{}}
	w := &verifying{Verification: v, to: to, plan: plan, last: last, hash: rowHash(plan, to.Dialect()), options: o}
	err = w.readTable(ctx)
	if err != nil {
		return nil, err
	}
	err = w.readSource(ctx, p, t, from, past)
	if err == nil {
		err = w.readMended(ctx, t, from, past)
	}
	if err != nil {
		return nil, err
	}
	w.compareFigures()
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
	last          *pastLoad // by which the table is read
	hash          proof.RowHash
	options       VerifyOptions
	sources       []sourceRows
	source, table proof.Sum
	elsewhere     []int64         // rejects that other loaders keep, by part
	totals        *figures.Totals // of the source
	figures       []table.Figures // of the table, if they are wanted
}

// readTable sums the rows of the table.
func (w *verifying) readTable(ctx context.Context) (err error) {
	w.RowsHidden, err = database.HidesRows(ctx, w.to, w.plan.Name)
	if err != nil {
		return err
	}
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

// readSource sums the rows that the source gives, by the loads of its parts.
func (w *verifying) readSource(ctx context.Context, p *pass.Pass, t *tray.Tray, from *source.Opener, past *past) error {
	o := pass.Options{Dialect: w.to.Dialect(), Table: w.plan, Loads: past.marks, Refused: past.refused, Progress: w.options.Progress, Hash: w.hash}
	out, err := p.Run(ctx, o)
	if err != nil {
		return err
	}
	w.sources = []sourceRows{{func(ctx context.Context) (*pass.Pass, error) { return pass.Open(ctx, t, from) }, o, nil}}
	w.source, w.totals = expected(out), out.Totals
	w.Read, w.Convertible, w.Rejected, w.Skipped = out.Read(), out.Loaded, out.Rejects.Total(), out.Skipped.Total()
	for i := range out.Parts {
		w.Parts = append(w.Parts, partOf(&out.Parts[i]))
		w.Controls = append(w.Controls, out.Parts[i].Controls...)
	}
	w.elsewhere = w.rejectedElsewhere(past)
	return nil
}

// readMended adds the rows of records that were mended.
func (w *verifying) readMended(ctx context.Context, t *tray.Tray, from *source.Opener, past *past) error {
	for _, l := range past.loads {
		mended, err := l.mended(ctx, t, from, w.sources[0].options)
		if err != nil {
			return err
		}
		if mended.out == nil {
			continue
		}
		w.sources = append(w.sources, mended.rows)
		w.source = w.source.Plus(expected(mended.out))
		w.totals.Add(mended.out.Totals)
		n := mended.out.Loaded
		w.Mended, w.Convertible, w.Rejected = w.Mended+n, w.Convertible+n, w.Rejected-n
		for i, n := range mended.parts {
			w.Parts[i].mend(n)
		}
		if len(w.Parts) == 1 {
			w.addMended(mended.out)
		}
	}
	return nil
}

// compareFigures puts the figures of the source next to those of the table.
func (w *verifying) compareFigures() {
	loaded := w.plan.Loaded()
	for i, f := range w.totals.Figures() {
		col := &loaded[i]
		stored := w.to.Dialect().Stored(col.Type)
		c := Compared{Name: col.Name, Source: f, Checksum: stored.Kind == table.Double || stored.Kind == table.Date || stored.HasClock()}
		if w.figures != nil {
			c.Table = &w.figures[i]
		}
		w.Columns = append(w.Columns, c)
	}
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
		w.explainMissing()
	}
	return nil
}

// rejectedElsewhere returns how many records of each part the loaders of shared loads have rejected,
// beyond those that this pass rejects too.
func (w *verifying) rejectedElsewhere(past *past) []int64 {
	list := make([]int64, len(w.Parts))
	for _, l := range past.loads {
		for i := range l.receipt.Source {
			p := &l.receipt.Source[i]
			at, given := l.parts[p.Title()]
			if given && l.receipt.Shared != nil {
				list[at] = max(0, p.Rejected-w.Parts[at].Rejected)
			}
		}
	}
	return list
}

// explainMissing assumes that the rows of the source that are not in the table are the rejects of other
// loaders, if the numbers are equal. A row whose key is in the table looks changed.
func (w *verifying) explainMissing() {
	all, d := int64(0), w.RowsDiffer
	for _, n := range w.elsewhere {
		all += n
	}
	if all == 0 || d.Missing+d.Changed != all || d.Extra > 0 {
		return
	}
	for i, n := range w.elsewhere {
		w.Parts[i].mend(-n)
	}
	w.RowsDiffer, w.RejectedElsewhere = nil, d
	w.Convertible, w.Rejected = w.Convertible-all, w.Rejected+all
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
