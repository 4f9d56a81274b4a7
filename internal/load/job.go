package load

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/dustin/go-humanize"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/proof"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// job is the state of a load that every way of loading shares.
type job struct {
	Options
	to       database.Target
	tray     *tray.Tray
	plan     *table.Table
	table    *table.Table   // the plan, with the types of an existing table
	instead  []string       // ids of earlier loads of the source that have loaded no row
	identity string         // of the table, as the target knows it
	loadID   string         // what {load} stands for in computed columns
	from     *source.Opener // nil for a file of rejects
	open     func(context.Context) (*pass.Pass, error)
	pass     *pass.Pass
	leftOut  []int  // parts of the source that the table has already
	dir      string // the folder of the load
	rejects  rejects
	receipt  *Receipt
	adder    database.Adder   // distinguishes the rows of the load from those that were there, or nil
	hash     proof.RowHash    // of the rows, nil where they are only counted
	summer   database.Summer  // sums them on the server by that hash, or nil
	before   proof.Sum        // of rows that were there and cannot be distinguished
	withheld *refusal.List    // records that are not sent, because they are known to be refused, or nil
	refused  *refusal.List    // by the server, and those
	altered  convert.Altered  // values that are not loaded as they are written
	storage  database.Storage // of an existing table
	doubt    *doubt           // nil unless the table is on several servers
	// undoSchema drops the schema that was created, where a rollback does not.
	undoSchema func() error

	// committing says that a commit has begun whose outcome is not known.
	committing bool
	tx         database.Tx
	sink       database.Sink
}

// newJob returns the load of an open source.
func newJob(p *pass.Pass, from *source.Opener, to database.Target, o Options) *job {
	t := p.Pin()
	j := &job{Options: o, tray: t, plan: &t.Table, table: &t.Table, to: to, from: from, pass: p, receipt: newReceipt(t, &t.Table, to, p.Headings, o)}
	j.open = func(ctx context.Context) (*pass.Pass, error) {
		again, err := pass.Open(ctx, t, from)
		if err != nil {
			return nil, err
		}
		return again, again.LeaveOut(j.leftOut)
	}
	for _, n := range p.LeftOut.Notes() {
		j.receipt.addNote(n)
	}
	return j
}

// assignID gives the load its id and folder: those of the interrupted load that
// it resumes, if any.
func (j *job) assignID(resume *ledger.Entry) (err error) {
	switch {
	case j.RollBack:
		j.dir, err = os.MkdirTemp("", "ambertray-")
	case resume != nil:
		j.receipt.ID, j.receipt.Load, j.dir = resume.ID, resume.Load, j.tray.LoadDir(resume.Load)
		if resume.Loaded == 0 { // a load that failed may have removed it
			err = os.MkdirAll(j.dir, 0o777)
		}
	default:
		j.receipt.Load, j.dir, err = j.tray.NewLoad()
	}
	j.loadID = j.receipt.ID
	j.rejects = &loadRejects{reject.Writer{Path: filepath.Join(j.dir, reject.FileName), Headings: j.pass.Headings, Sources: j.pass.Sources}}
	return err
}

// phaseLoad is the phase in which the records are read and sent.
const phaseLoad = "load"

// enter says that a phase begins.
func (j *job) enter(phase string) {
	if j.Progress != nil {
		j.Progress(pass.Progress{Phase: phase, Rejected: j.receipt.Counts.Rejected})
	}
}

// rowsAtOnce is after how many rows that are verified the progress is shown.
const rowsAtOnce = 50_000

// watched reads rows, and says how many it has read of those that there should be.
func (j *job) watched(rows int64, read func(context.Context, database.EachRow) error) func(context.Context, database.EachRow) error {
	if j.Progress == nil {
		return read
	}
	return func(ctx context.Context, each database.EachRow) error {
		n := int64(0)
		return read(ctx, func(row []value.Value) error {
			n++
			if n%rowsAtOnce == 0 {
				j.Progress(pass.Progress{Phase: PhaseVerify, Records: n, Of: rows, Rejected: j.receipt.Counts.Rejected})
			}
			return each(row)
		})
	}
}

// phase times a part of the load.
func (j *job) phase(name string, f func() error) error {
	start := time.Now()
	if name != phaseLoad {
		j.enter(name)
	}
	err := f()
	seconds := time.Since(start).Seconds()
	j.receipt.Phases = append(j.receipt.Phases, Phase{name, seconds, perSecond(j.receipt.Counts.Loaded, seconds)})
	return err
}

// perSecond is a rate, or 0 where the clock is too coarse for one.
func perSecond(rows int64, seconds float64) float64 {
	if seconds == 0 {
		return 0
	}
	return float64(rows) / seconds
}

// count enters into the receipt what was read and what became of it.
func (j *job) count(out *pass.Outcome, rows int64) {
	r := j.receipt
	for i := range out.Parts {
		p := &out.Parts[i]
		if p.LeftOut {
			continue
		}
		r.Controls = append(r.Controls, p.Controls...)
		r.Source = append(r.Source, Part{
			Source: p.Name, Sheet: p.SheetName(), Index: i, Bytes: p.Bytes, SHA256: p.SHA256, Content: p.Content, textBytes: p.TextBytes,
			Read: p.Read, Loaded: p.Loaded, Rejected: p.Rejected,
		})
		lay := &r.Layout
		if p.HeaderLine != lay.HeaderLine && !r.Mended {
			r.addNote(note.Of(p.Title(), p.HeaderLine, fmt.Sprintf("the header is here, and not on %s %d", lay.LineWord(), lay.HeaderLine)))
		}
	}
	for _, d := range j.pass.Drift() {
		r.addNote(note.Note{Source: &d.Part, What: "columns differ from those of the first part: " + d.String()})
	}
	r.Counts.Read, r.Counts.Loaded, r.Counts.Rejected, r.Counts.Skipped = out.Read(), rows, out.Rejects.Total(), out.Skipped.Total()
	r.Skipped = out.Skipped
	r.Notes = note.Recount(r.Notes, out.Notes)
	j.altered = out.Altered
	if j.Verify != RowsOnly {
		list := out.Totals.Figures()
		for i, c := range j.table.Loaded() {
			r.Columns = append(r.Columns, ColumnFigures{c.Name, list[i]})
		}
		r.noteShortCodes(j.plan.Columns)
	}
	r.Rejects.ByReason = out.Rejects.Groups()
	if r.Counts.Rejected > 0 {
		r.Rejects.File = new(j.rejects.File())
	}
}

// giveUp removes the folder of a load that committed nothing, unless it holds
// rejects that a person should check. If a commit failed, the server may have
// committed all the same, and the folder has what belongs to these rows.
func (j *job) giveUp(err error) error {
	var many *TooManyError
	if j.dir != "" && !j.committing && !errors.As(err, &many) {
		os.RemoveAll(j.dir)
	}
	if j.storage.NoTransactions {
		err = fmt.Errorf("%w; %s has no transactions, so the table may contain rows that were sent before", err, j.storage.Engine)
	}
	return err
}

// index creates the indexes of a table that the load created.
func (j *job) index(ctx context.Context) error {
	tx, err := database.Require[database.Indexer](j.to, j.tx, "creating indexes")
	if err != nil {
		return err
	}
	err = tx.Index(ctx, j.table)
	if err != nil && j.table.References() {
		err = fmt.Errorf("%w: %w", ErrReferences, err)
	}
	return err
}

// ErrReferences is returned when the foreign keys or indexes of a new table cannot be made.
var ErrReferences = errors.New("the foreign keys of the plan cannot be added")

// analyze refreshes the server's statistics. The load is complete without them.
func (j *job) analyze(ctx context.Context) {
	to, ok := j.to.(database.Analyzer)
	if !ok {
		return
	}
	err := to.Analyze(ctx, j.table.Name, j.receipt.Counts.Loaded)
	if err != nil {
		j.receipt.Remarks = append(j.receipt.Remarks, "the server's statistics of the table could not be refreshed: "+err.Error())
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
	are, which := "are", "they are"
	if e.Rejected == 1 {
		are, which = "is", "it is"
	}
	return fmt.Sprintf("%s of %s %s rejected, and the plan allows %s; %s kept in %s",
		humanize.Comma(e.Rejected), note.Count(e.Records, "record", "records"), are, e.Allow, which, e.File)
}
