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

	"github.com/dustin/go-humanize"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/proof"
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
	return fmt.Sprintf("%v; %s committed, up to record %s, as load %s", e.Err,
		note.Count(e.Entry.Loaded, "row is", "rows are"), humanize.Comma(e.Entry.Record), e.Entry.ID)
}

func (e *PartialError) Unwrap() error { return e.Err }

// checkpoints commits every N records, and proves them before. In the same transaction the ledger gets the
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
	sent     []sentRow // since the last checkpoint
	chunk    proof.Sum // of the rows that the last sink took
	total    proof.Sum // of the rows since atEnd was found
	atEnd    bool      // the rows of a transaction cannot be distinguished: all are proved at the end
}

// sentRow is a row that was sent and may yet be refused.
type sentRow struct {
	refusal.Where
	hash uint64
}

// newCheckpoints returns a load with checkpoints that begins, or resumes an
// interrupted one.
func newCheckpoints(j *job, entry ledger.Entry, resumed bool) *checkpoints {
	entry.Load = j.receipt.Load
	return &checkpoints{job: j, entry: entry, written: resumed, resumed: resumed, from: entry.Place, place: entry.Place, loaded: entry.Loaded}
}

func (c *checkpoints) prepare(ctx context.Context) (err error) {
	if !c.written && c.to.Dialect().DDLAutoCommits { // creating the ledger later would commit rows
		err := ledger.Write(ctx, c.to, &c.entry)
		if err != nil {
			return err
		}
		c.written = true
	}
	if c.from != (ledger.Place{}) {
		err = c.resume(ctx)
	} else {
		err = c.begin(ctx)
	}
	if err != nil {
		return err
	}
	c.atEnd = c.adder == nil && c.before.Rows > 0
	return c.openSink(ctx, c.table.Name)
}

// state is what the folder of the load keeps for the one that resumes it.
type state struct {
	Outcome Outcome `json:"outcome"`
	Before  *int64  `json:"table_before"`
}

const stateFile = "checkpoint.json"

// resume continues with the table of an interrupted load.
func (c *checkpoints) resume(ctx context.Context) error {
	text, err := os.ReadFile(filepath.Join(c.dir, stateFile))
	if err != nil {
		return fmt.Errorf("resume load %s: %w", c.entry.ID, err)
	}
	var was state
	err = json.Unmarshal(text, &was)
	if err != nil {
		return fmt.Errorf("%s: %w", stateFile, err)
	}
	list, err := readRefused(c.dir)
	if err != nil {
		return err
	}
	c.refused = *list
	c.refused.DropAfter(refusal.Where(c.from)) // which was rolled back
	c.receipt.ResumedFrom = c.entry.Loaded
	err = c.fitTable(ctx)
	if err != nil {
		return err
	}
	err = c.mark(ctx)
	c.receipt.Outcome, c.receipt.Counts.TableBefore = was.Outcome, was.Before
	return err
}

// begin prepares the table for a load that begins with the first record.
func (c *checkpoints) begin(ctx context.Context) error {
	err := c.startOver(ctx)
	if err != nil {
		return err
	}
	return c.openTable(ctx, true)
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
	rows, err := c.to.Count(ctx, c.table.Name)
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
		c.note(head)
		err := c.sink.Write(head)
		if err != nil {
			return err
		}
		k.DropThrough(refusal.Where(c.place))
		if c.Every == 0 || c.records < c.Every {
			continue
		}
		c.records = 0
		err = c.checkpoint(ctx)
		if err != nil {
			return err
		}
	}
	return nil
}

// note keeps which rows are sent.
func (c *checkpoints) note(k *convert.Block) {
	for i, n := range k.Numbers {
		row := sentRow{Where: refusal.Where{Part: k.Part, Record: n}}
		if len(k.Hashes) > 0 {
			row.hash = k.Hashes[i]
		}
		c.sent = append(c.sent, row)
	}
}

// checkpoint commits what was sent so far and begins the next transaction.
func (c *checkpoints) checkpoint(ctx context.Context) error {
	err := c.endSink(nil)
	if err != nil {
		return err
	}
	rejected := c.rejected + int64(c.refused.Len())
	if c.plan.Allow.Exceeded(rejected, math.MaxInt64) { // a share is known only at the end
		return &TooManyError{Rejected: rejected, Records: c.read, Allow: c.plan.Allow, File: c.rejects.File()}
	}
	if !c.atEnd {
		err := c.proveChunk(ctx)
		if err != nil {
			return err
		}
	}
	err = c.writeState()
	if err != nil {
		return err
	}
	next := c.next()
	c.committing = true
	err = c.tx.Commit(context.WithoutCancel(ctx), &next)
	if err != nil {
		return err
	}
	c.entry, c.written, c.committing = next, true, false
	c.tx, err = c.to.Begin(ctx)
	if err != nil {
		return err
	}
	if !c.atEnd {
		before := c.receipt.Counts.TableBefore
		err := c.mark(ctx)
		if err != nil {
			return err
		}
		c.receipt.Counts.TableBefore = before
		c.atEnd, c.total = c.adder == nil, proof.Sum{}
	}
	return c.openSink(ctx, c.table.Name)
}

// proveChunk proves the rows since the last checkpoint.
func (c *checkpoints) proveChunk(ctx context.Context) (err error) {
	c.receipt.Differences, err = c.proveSent(ctx)
	c.receipt.Counts.TableAfter = nil // more rows follow
	if err == nil && len(c.receipt.Differences) > 0 {
		err = ErrDiffers
	}
	return err
}

func (c *checkpoints) proveSent(ctx context.Context) ([]Difference, error) {
	after, until := refusal.Where(c.entry.Place), refusal.Where(c.place)
	return c.proveRows(ctx, c.chunk, func(w refusal.Where) bool { return after.Compare(w) < 0 && w.Compare(until) <= 0 })
}

// endSink ends the bulk path of a transaction.
func (c *checkpoints) endSink(abort error) error {
	rows, refused, err := c.closeSink(abort)
	c.loaded += rows
	c.refused.Append(refused)
	c.job.refused = &c.refused
	c.chunk = proof.Sum{}
	refused.Sort()
	cursor := refused.Cursor(refusal.Where{})
	for _, row := range c.sent {
		if cursor.At(row.Where) == nil {
			c.chunk.Add(row.hash)
		}
	}
	c.sent, c.total = c.sent[:0], c.total.Plus(c.chunk)
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
	text, err := json.Marshal(state{c.receipt.Outcome, c.receipt.Counts.TableBefore})
	if err != nil {
		return err
	}
	err = writeRefused(c.dir, &c.refused)
	if err != nil {
		return err
	}
	err = publish.File(filepath.Join(c.dir, stateFile), append(text, '\n'))
	if errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("the folder of the load does not exist: %w", err)
	}
	return err
}

func (c *checkpoints) finish(_ context.Context, abort error) (int64, *refusal.List, error) {
	err := c.endSink(abort)
	return c.loaded, &c.refused, err
}

// verify proves the rows since the last checkpoint. Where they cannot be distinguished,
// the table is compared with all rows that were sent; where it has more than those,
// row by row.
func (c *checkpoints) verify(ctx context.Context, _ *pass.Outcome) ([]Difference, error) {
	if !c.atEnd {
		return c.proveSent(ctx)
	}
	got, err := c.sumTable(ctx, c.table)
	if err != nil {
		return nil, err
	}
	c.receipt.Counts.TableAfter = &got.Rows
	want := c.total.Plus(c.before)
	if got == want {
		return nil, nil
	}
	err = c.findDifferences(ctx, c.rowsOf(c.table, 0), nil, false)
	if err != nil {
		return nil, err
	}
	others := got.Rows - want.Rows
	if others <= 0 || !c.receipt.RowsDiffer.Same() {
		return compareSums(want, got), nil
	}
	c.receipt.Remarks = append(c.receipt.Remarks, fmt.Sprintf("the table has %s more than expected: another session, or a trigger, wrote to it between two checkpoints", rowsText(others)))
	return nil, nil
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
