package load

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"math"
	"os"
	"path/filepath"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/pass"
	"ambertray/internal/publish"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// ErrNeedsLedger is returned for a load with checkpoints that may not write them
// down.
var ErrNeedsLedger = errors.New("a load that commits every N records needs the ledger, to resume where it was interrupted")

// PartialError says that a load failed after a checkpoint.
type PartialError struct {
	Err   error
	Entry ledger.Entry // of the last checkpoint
}

func (e *PartialError) Error() string {
	return fmt.Sprintf("%v; %d rows are committed, up to record %d, as load %s", e.Err, e.Entry.Loaded, e.Entry.Record, e.Entry.ID)
}

func (e *PartialError) Unwrap() error { return e.Err }

// checkpoints commits every N records. In the same transaction the ledger gets the
// last record that is committed, so that the same load, started again, continues
// after it.
type checkpoints struct {
	*job
	entry    ledger.Entry // as the ledger has it, if it is written
	written  bool
	resumed  bool         // by this load, after an earlier one was interrupted
	from     ledger.Place // the last record that an earlier load committed
	place    ledger.Place // the last record that was sent
	records  int64        // that were sent since the last checkpoint
	read     int64
	rejected int64 // by us
	loaded   int64
	refused  refusal.List
}

// newCheckpoints returns a load with checkpoints that begins, or resumes an
// interrupted one.
func newCheckpoints(j *job, entry ledger.Entry, resumed bool) *checkpoints {
	entry.Load = j.receipt.Load
	return &checkpoints{job: j, entry: entry, written: resumed, resumed: resumed, from: entry.Place, place: entry.Place, loaded: entry.Loaded}
}

func (c *checkpoints) prepare(ctx context.Context) (err error) {
	if !c.written && c.to.Dialect().DDLAutoCommits { // a table that is created is there at once
		if err := ledger.Write(ctx, c.to, &c.entry); err != nil {
			return err
		}
		c.written = true
	}
	if c.from != (ledger.Place{}) {
		err = c.resume(ctx)
	} else if err = c.startOver(ctx); err == nil {
		err = c.openTable(ctx, true)
	}
	if err != nil {
		return err
	}
	return c.openSink(ctx, c.table.Name)
}

// state is what the folder of the load keeps for the one that resumes it.
type state struct {
	Outcome Outcome         `json:"outcome"`
	Before  int64           `json:"table_before"`
	Figures []table.Figures `json:"figures_before"`
}

const stateFile = "checkpoint.json"

// resume continues with the table of an interrupted load.
func (c *checkpoints) resume(ctx context.Context) error {
	text, err := os.ReadFile(filepath.Join(c.dir, stateFile))
	if err != nil {
		return fmt.Errorf("resume load %s: %w", c.entry.ID, err)
	}
	var was state
	if err := json.Unmarshal(text, &was); err != nil {
		return fmt.Errorf("%s: %w", stateFile, err)
	}
	list, err := readRefused(c.dir)
	if err != nil {
		return err
	}
	c.refused = *list
	c.refused.DropAfter(refusal.Where(c.from)) // which was rolled back
	c.receipt.Outcome, c.receipt.Before, c.receipt.Counts.TableBefore = was.Outcome, was.Figures, was.Before
	c.receipt.ResumedFrom = c.entry.Loaded
	if was.Outcome == Appended {
		c.before = counted{was.Before, was.Figures}
	}
	return c.fitTable(ctx)
}

// startOver lets a load that was interrupted before its first checkpoint use the
// table that it created.
func (c *checkpoints) startOver(ctx context.Context) error {
	if !c.resumed || c.plan.Existing != table.Refuse || !c.to.Dialect().DDLAutoCommits {
		return nil
	}
	exists, err := c.to.Exists(ctx, c.table.Name)
	if err != nil || !exists {
		return err
	}
	rows, err := c.countRows(ctx)
	if err == nil && rows == 0 {
		plan := *c.plan
		plan.Existing = table.Append
		c.plan = &plan
	}
	return err
}

func (c *checkpoints) write(ctx context.Context, k *convert.Block) error {
	c.read += k.Read + k.Skipped.Total()
	c.rejected += int64(len(k.Rejects))
	k.DropThrough(refusal.Where(c.from))
	for len(k.Numbers) > 0 {
		rows := int64(len(k.Numbers))
		if c.Every > 0 {
			rows = min(rows, c.Every-c.records)
		}
		head := k.Head(int(rows))
		c.place = ledger.Place{Part: k.Part, Record: head.Numbers[rows-1]}
		c.records += rows
		if err := c.sink.Write(head); err != nil {
			return err
		}
		k.DropThrough(refusal.Where(c.place))
		if c.Every == 0 || c.records < c.Every {
			continue
		}
		c.records = 0
		if err := c.checkpoint(ctx); err != nil {
			return err
		}
	}
	return nil
}

// checkpoint commits what was sent so far and begins the next transaction.
func (c *checkpoints) checkpoint(ctx context.Context) error {
	if err := c.endSink(nil); err != nil {
		return err
	}
	rejected := c.rejected + int64(c.refused.Len())
	if c.plan.Allow.Exceeded(rejected, math.MaxInt64) { // a share is known only at the end
		return &TooManyError{Rejected: rejected, Records: c.read, Allow: c.plan.Allow, File: c.rejects.File()}
	}
	if err := c.writeState(); err != nil {
		return err
	}
	next := c.next()
	c.committing = true
	if err := c.tx.Commit(context.WithoutCancel(ctx), &next); err != nil {
		return err
	}
	c.entry, c.written, c.committing = next, true, false
	var err error
	if c.tx, err = c.to.Begin(ctx); err != nil {
		return err
	}
	return c.openSink(ctx, c.table.Name)
}

// endSink ends the bulk path of a transaction.
func (c *checkpoints) endSink(abort error) error {
	rows, refused, err := c.closeSink(abort)
	c.loaded += rows
	c.refused.Append(refused)
	return err
}

// next returns the entry of the checkpoint that is committed now.
func (c *checkpoints) next() ledger.Entry {
	e := c.entry
	e.Read, e.Loaded, e.Place, e.Load = c.read, c.loaded, c.place, c.receipt.Load
	e.Last, e.Replaces = nil, false
	if c.written {
		e.Last = &c.entry.Place
	}
	if c.entry.Place == (ledger.Place{}) { // it is the first
		e.Replaces = !c.receipt.Outcome.keepsRows()
	}
	return e
}

func (c *checkpoints) writeState() error {
	text, err := json.Marshal(state{c.receipt.Outcome, c.receipt.Counts.TableBefore, c.before.figures})
	if err != nil {
		return err
	}
	if err := writeRefused(c.dir, &c.refused); err != nil {
		return err
	}
	err = publish.File(filepath.Join(c.dir, stateFile), append(text, '\n'))
	if errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("the folder of the load is gone: %w", err)
	}
	return err
}

func (c *checkpoints) finish(_ context.Context, abort error) (int64, *refusal.List, error) {
	err := c.endSink(abort)
	return c.loaded, &c.refused, err
}

// verify compares the columns only if no other session wrote to the table between
// two checkpoints.
func (c *checkpoints) verify(ctx context.Context, out *pass.Outcome) ([]Difference, error) {
	got, err := c.queryFigures(ctx, c.table)
	if err != nil {
		return nil, err
	}
	r := c.receipt
	r.Counts.TableAfter = got.rows
	cols := c.compared()
	want := counted{out.Loaded, out.Figures}.plus(c.before, cols, c.to.Dialect())
	if others := got.rows - want.rows; others > 0 {
		r.Remarks = append(r.Remarks, fmt.Sprintf("the table has %s more than expected: another session wrote to it between two checkpoints, "+
			"so its columns cannot be compared", rowsText(others)))
		want.rows, cols, r.Columns, r.Verify = got.rows, nil, 0, RowsOnly
	}
	return compare(cols, want, got), nil
}

func (c *checkpoints) commit(ctx context.Context) error {
	entry := c.next()
	c.complete(&entry)
	return c.commitWith(ctx, &entry)
}

func (c *checkpoints) committed() int64 { return c.entry.Loaded }

func (c *checkpoints) abort(err error) error {
	if c.entry.Loaded > 0 {
		return &PartialError{Err: err, Entry: c.entry}
	}
	if c.written && !c.left(err) {
		_ = ledger.Forget(context.Background(), c.to, c.entry.ID) // otherwise it starts over
	}
	return c.giveUp(err)
}

// left reports whether the table exists that the load was to create: the connection
// may have been lost before the server said that it did. The next load starts over
// with it, because the ledger keeps the entry.
func (c *checkpoints) left(err error) bool {
	if c.plan.Existing != table.Refuse || errors.Is(err, database.ErrExists) {
		return false
	}
	exists, err := c.to.Exists(context.Background(), c.table.Name)
	return exists || err != nil
}
