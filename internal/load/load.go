// Package load tells the story of one load: read, convert, send, verify and
// commit, or leave the database as it was.
package load

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// ErrDiffers is returned, with the receipt, when verification found a
// difference and the load was rolled back.
var ErrDiffers = errors.New("the table differs from the source")

// ErrKept is returned, with ErrDiffers, when rows were committed before at
// checkpoints, which stay.
var ErrKept = errors.New("rows are committed, and the rest is rolled back")

// Options of a load.
type Options struct {
	Again   bool // load content that is in the table already once more
	OnlyNew bool // leave out files and sheets that are in the table already
	// AcceptLoss rebuilds a table although something that hangs on it is lost,
	// NoRollback loads into one that cannot take rows back.
	AcceptLoss, NoRollback bool

	NoLedger bool // neither look into the ledger nor write it
	Verify   Depth
	Every    int64 // commit every so many records, or 0 for one transaction
	Progress func(pass.Progress)
	Notes    []note.Note // of the survey by which the plan was drafted
}

// Depth is how much of the table is verified.
type Depth string

// EveryColumn compares the figures of every column, RowsOnly the numbers of rows.
const (
	EveryColumn Depth = "full"
	RowsOnly    Depth = "counts"
)

// Set implements pflag.Value.
func (d *Depth) Set(word string) error {
	if *d = Depth(word); *d != EveryColumn && *d != RowsOnly {
		return errors.New("write full or counts")
	}
	return nil
}

// String and Type implement pflag.Value.
func (d *Depth) String() string { return string(*d) }
func (d *Depth) Type() string   { return "word" }

// Run loads the source of the tray into the target. It returns the receipt
// when the load is committed, and with ErrDiffers; otherwise nothing was
// changed.
func Run(ctx context.Context, t *tray.Tray, from *source.Opener, to database.Target, o Options) (receipt *Receipt, err error) {
	if err := to.Dialect().Check(&t.Table); err != nil {
		return nil, err
	}
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	if o.Every > 0 && t.Table.Existing == table.Merge {
		return nil, ErrMergeOnce
	}
	l := &loading{Options: o, tray: t, plan: &t.Table, table: &t.Table, to: to, pass: p, receipt: newReceipt(t, &t.Table, to, p.Headings, o)}
	l.open = func(ctx context.Context) (*pass.Pass, error) {
		again, err := pass.Open(ctx, t, from)
		if err != nil {
			return nil, err
		}
		return again, again.LeaveOut(l.leftOut)
	}
	if l.identity, err = to.Identity(ctx, t.Table.Name); err != nil {
		return nil, err
	}
	unlock, err := to.Lock(ctx, l.identity)
	if err != nil {
		return nil, err
	}
	defer unlock()
	err = l.fill(ctx)
	if err != nil && !errors.Is(err, ErrDiffers) {
		return nil, l.giveUp(err)
	}
	switch {
	case err == nil:
	case l.engine != "":
		l.receipt.Kept = l.receipt.Counts.Loaded
		err = fmt.Errorf("%w: %w", ErrKept, err)
	case l.parts != nil && l.parts.entry.Loaded > 0:
		l.receipt.Kept = l.parts.entry.Loaded
		err = fmt.Errorf("%w: %w", ErrKept, err)
	}
	return l.receipt, errors.Join(err, l.receipt.write(l.dir, receiptFile))
}

// assignID gives the load its id and folder: those that it had before, if it goes
// on where it was interrupted.
func (l *loading) assignID() (err error) {
	t := l.tray
	if l.parts != nil && l.parts.written {
		l.receipt.Load, l.dir = l.parts.entry.Load, t.LoadDir(l.parts.entry.Load)
		if l.parts.entry.Loaded == 0 { // a load that could do no more may have taken it away
			err = os.MkdirAll(l.dir, 0o777)
		}
	} else {
		l.receipt.Load, l.dir, err = t.NewLoad()
	}
	l.rejects = reject.Writer{Path: filepath.Join(l.dir, reject.FileName), Headings: l.pass.Headings, Sources: l.pass.Sources}
	return err
}

// giveUp leaves no trace of a load of which nothing is in the table, but for
// rejects that are there to be looked at.
func (l *loading) giveUp(err error) error {
	if l.parts != nil && l.parts.written {
		if l.parts.entry.Loaded > 0 {
			return &PartialError{Err: err, Entry: l.parts.entry}
		}
		_ = ledger.Forget(context.Background(), l.to, l.parts.entry.ID) // otherwise it begins anew
	}
	var many *TooManyError
	var inDoubt *DoubtError
	if l.dir != "" && !errors.As(err, &many) && !errors.As(err, &inDoubt) {
		os.RemoveAll(l.dir)
	}
	return err
}

// loading is the state of one load.
type loading struct {
	Options
	tray     *tray.Tray
	identity string // of the table, as the target knows it
	leftOut  []int  // parts of the source that are in the table already
	to       database.Target
	open     func(context.Context) (*pass.Pass, error) // opens the source
	pass     *pass.Pass
	dir      string // the folder of the load
	rejects  reject.Writer
	receipt  *Receipt
	plan     *table.Table
	table    *table.Table // the plan's, with the types of a table that is there
	before   counted      // the rows that are in it and stay
	mend     *mend        // nil unless it is rejects that are loaded
	parts    *parts       // nil unless it commits in parts
	schema   string       // that was made, where a rollback does not take it away
	merge    *merge       // nil unless its rows are merged
	engine   string       // of a table that takes nothing back
	doubt    *doubt       // nil unless the table lies on several servers
	tx       database.Tx
	sink     database.Sink
}

// filled is the table that the bulk path fills.
func (l *loading) filled() *table.Table {
	if l.merge != nil {
		return l.merge.stage
	}
	return l.table
}

// fill makes sure that there is a ledger, and does the load.
func (l *loading) fill(ctx context.Context) (err error) {
	made := false
	if !l.NoLedger {
		if made, err = ledger.Make(ctx, l.to); err != nil {
			return err
		}
	}
	if err = l.transact(ctx); made && err != nil {
		return errors.Join(err, ledger.RemoveEmpty(context.WithoutCancel(ctx), l.to))
	}
	return err
}

// transact does everything between the beginning of the transaction and its
// end.
func (l *loading) transact(ctx context.Context) (err error) {
	if l.tx, err = l.to.Begin(ctx); err != nil {
		return err
	}
	defer func() {
		if back := l.tx.Rollback(); back != nil && err != nil {
			err = errors.Join(err, back)
		}
		if err != nil && l.doubt != nil {
			l.doubt.dismiss(l.to, err)
		}
		if err != nil && l.engine != "" {
			err = fmt.Errorf("%w; %s has no transactions, so that rows sent before may be in the table", err, l.engine)
		}
		if l.schema != "" && err != nil && (l.parts == nil || l.parts.entry.Loaded == 0) {
			err = errors.Join(err, l.dropSchema())
		}
	}()
	if !l.NoLedger && !l.to.Dialect().DefinitionsCommit {
		if err := ledger.Try(ctx, l.to); err != nil {
			return err
		}
	}
	if l.mend == nil {
		if err := l.checkAlreadyLoaded(ctx); err != nil {
			return err
		}
		if err := l.assignID(); err != nil {
			return err
		}
	}
	if err := l.prepare(ctx); err != nil {
		return err
	}
	var out *pass.Outcome
	if err := l.phase("load", func() (err error) { out, err = l.send(ctx); return err }); err != nil {
		return err
	}
	if allow := l.plan.Allow; allow.Exceeded(out.Rejects.Total(), out.Records) {
		return &TooManyError{Rejected: out.Rejects.Total(), Records: out.Records, Allow: allow, File: l.rejects.Path}
	}
	if len(l.table.Indexes) > 0 && (l.receipt.Done == "created" || l.receipt.Done == "rebuilt") {
		if err := l.phase("index", func() error { return l.tx.Index(ctx, l.table) }); err != nil {
			return err
		}
	}
	if err := l.phase("verify", func() error { return l.verify(ctx, out) }); err != nil {
		return err
	}
	if l.mend != nil {
		if err := l.mend.draft(ctx, l); err != nil {
			return err
		}
	}
	// What is interrupted in the middle of a commit may be committed, and nobody
	// would know.
	if err := l.phase("commit", func() error { return l.commit(context.WithoutCancel(ctx)) }); err != nil {
		return err
	}
	l.receipt.Verified = true
	return l.phase("statistics", func() error { l.analyze(ctx); return nil })
}

// analyze refreshes the server's statistics. The load is done without them too.
func (l *loading) analyze(ctx context.Context) {
	if _, err := l.to.Exec(ctx, l.to.Dialect().Analyze(l.table.Name)); err != nil {
		l.receipt.Remarks = append(l.receipt.Remarks, "the server's statistics of the table could not be refreshed: "+err.Error())
	}
}

// TooManyError says that more records are rejected than the plan allows. They
// are kept in File.
type TooManyError struct {
	Rejected, Records int64
	Allow             table.Allowance
	File              string
}

func (e *TooManyError) Error() string {
	return fmt.Sprintf("%d of %d records are rejected, and the plan allows %s; they are kept in %s",
		e.Rejected, e.Records, e.Allow, e.File)
}

// phase times a part of the load.
func (l *loading) phase(name string, f func() error) error {
	start := time.Now()
	err := f()
	seconds := time.Since(start).Seconds()
	l.receipt.Phases = append(l.receipt.Phases, Phase{name, seconds, float64(l.receipt.Counts.Loaded) / seconds})
	return err
}

// figures asks for the rows of a table and, unless they alone are verified, for
// the figures of its columns.
func (l *loading) figures(ctx context.Context, t *table.Table) (c counted, err error) {
	if l.Verify == RowsOnly {
		t = &table.Table{Name: t.Name}
	}
	c.rows, c.figures, err = l.to.Figures(ctx, t)
	return c, err
}

// verify holds the table against what was read, inside the transaction.
func (l *loading) verify(ctx context.Context, out *pass.Outcome) error {
	got, err := l.figures(ctx, l.filled())
	if err != nil {
		return err
	}
	r := l.receipt
	r.Counts.TableAfter = got.rows
	cols := l.table.Loaded()
	if l.Verify == RowsOnly {
		cols = nil
	}
	r.Columns = len(cols)
	want := counted{out.Loaded, out.Figures}.plus(l.before, cols, l.to.Dialect())
	if others := got.rows - want.rows; l.parts != nil && others > 0 { // which others can do between two parts
		r.Remarks = append(r.Remarks, fmt.Sprintf("the table has more rows than it had and got, by %d: "+
			"others have written them meanwhile, so that its columns cannot be compared", others))
		want.rows, cols, r.Columns, r.Verify = got.rows, nil, 0, RowsOnly
	}
	r.Differences = compare(cols, want, got)
	if l.merge != nil {
		more, err := l.verifyMerge(ctx)
		if err != nil {
			return err
		}
		r.Differences = append(r.Differences, more...)
	}
	if c := r.Counts; c.Read != c.Loaded+c.Rejected+c.Skipped {
		r.Differences = append(r.Differences, Difference{
			Figure: "records", Source: fmt.Sprint(c.Read), Table: fmt.Sprint(c.Loaded + c.Rejected + c.Skipped),
		})
	}
	if len(r.Differences) > 0 {
		return ErrDiffers
	}
	return nil
}
