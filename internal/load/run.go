package load

import (
	"context"
	"errors"
	"fmt"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// Run loads the source of the tray into the target. It returns the receipt
// when the load is committed, and with ErrDiffers; otherwise nothing was
// changed. If a row is refused in lanes, the load begins again in one: only there is
// it known which row that is.
func Run(ctx context.Context, t *tray.Tray, from *source.Opener, to database.Target, o Options) (*Receipt, error) {
	r, err := runOnce(ctx, t, from, to, o)
	if errors.Is(err, database.ErrInOrder) {
		o.Lanes = 1
		return runOnce(ctx, t, from, to, o, fmt.Sprintf("one lane: %v, and the load was started again to determine which row came first", database.ErrInOrder))
	}
	return r, err
}

// runOnce runs a load; remarks say what went before.
func runOnce(ctx context.Context, t *tray.Tray, from *source.Opener, to database.Target, o Options, remarks ...string) (*Receipt, error) {
	if o.Every > 0 && t.Table.Existing == table.Merge {
		return nil, ErrMergeOnce
	}
	if o.Every > 0 && o.NoLedger {
		return nil, ErrNeedsLedger
	}
	err := to.Dialect().Check(&t.Table)
	if err != nil {
		return nil, err
	}
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	j := newJob(p, from, to, o)
	j.receipt.Remarks = append(j.receipt.Remarks, remarks...)
	if o.Progress != nil {
		o.Progress(pass.Progress{})
	}
	err = ResolvePending(ctx, t, to)
	if err != nil {
		return nil, err
	}
	unlock, err := j.lock(ctx)
	if err != nil {
		return nil, err
	}
	defer unlock()
	w, err := j.run(ctx, j.begin)
	if err != nil && w == nil {
		return nil, err
	}
	if err != nil && !errors.Is(err, ErrDiffers) {
		return nil, w.abort(err)
	}
	if err != nil && w.committed() > 0 {
		j.receipt.Committed = w.committed()
		err = fmt.Errorf("%w: %w", ErrCommitted, err)
	}
	if err == nil {
		j.appendNext()
	}
	return j.receipt, errors.Join(err, j.writeReceipt())
}

// appendNext makes the plan append to the table that the load has created.
func (j *job) appendNext() {
	r := j.receipt
	if !j.AppendNext || r.Outcome != Created || !r.InLedger || j.plan.Existing != table.Refuse {
		return
	}
	remark := "the plan now says existing: append, so the next file is added to the table"
	_, err := tray.Rewrite(j.tray.Dir, []tray.Change{{Key: "existing", Value: table.Append.String()}})
	if err != nil {
		remark = "existing: append could not be written into the plan: " + err.Error()
	}
	r.Remarks = append(r.Remarks, remark)
}

// lock keeps other loads off the table, which it identifies.
func (j *job) lock(ctx context.Context) (unlock func(), err error) {
	j.identity, err = database.Identity(ctx, j.to, j.table.Name)
	if err != nil {
		return nil, err
	}
	return database.Lock(ctx, j.to, j.identity)
}

// begin checks the ledger, gives the load its folder and chooses its way.
func (j *job) begin(ctx context.Context) (way, error) {
	resume, err := j.checkAlreadyLoaded(ctx)
	if err != nil {
		return nil, err
	}
	entry := ledger.Entry{}
	if resume == nil && j.Every > 0 {
		content, err := j.content(ctx)
		if err != nil {
			return nil, err
		}
		entry = j.newEntry(content)
	}
	exists, err := j.to.Exists(ctx, j.table.Name)
	if err != nil {
		return nil, err
	}
	err = j.assignID(resume)
	if err != nil {
		return nil, err
	}
	switch {
	case resume != nil:
		return newCheckpoints(j, *resume, true), nil
	case j.Every > 0:
		return newCheckpoints(j, entry, false), nil
	case j.plan.Existing == table.Merge && exists:
		return &merged{job: j}, nil
	}
	return &whole{j}, nil
}

// run makes sure that the target has a ledger, and takes the load through its
// phases. begin chooses the way of loading, which is nil if it fails.
func (j *job) run(ctx context.Context, begin func(context.Context) (way, error)) (w way, err error) {
	made := false
	if !j.NoLedger {
		made, err = ledger.Make(ctx, j.to)
		if err != nil {
			return nil, err
		}
	}
	w, err = j.transact(ctx, begin)
	if made && err != nil {
		err = errors.Join(err, ledger.RemoveEmpty(context.WithoutCancel(ctx), j.to))
	}
	return w, err
}

// tryLedger makes sure, in the transaction, that the entry of the load can be written at its end.
func (j *job) tryLedger(ctx context.Context) error {
	if j.NoLedger || j.to.Dialect().DDLAutoCommits {
		return nil
	}
	err := ledger.Try(ctx, j.to)
	if err != nil {
		return err
	}
	entry := j.newEntry("")
	return ledger.CheckNames(ctx, j.to, &entry)
}

// transact does everything between the beginning of the transaction and its end.
func (j *job) transact(ctx context.Context, begin func(context.Context) (way, error)) (w way, err error) {
	j.tx, err = j.to.Begin(ctx)
	if err != nil {
		return nil, err
	}
	defer func() { err = j.rollback(w, err) }()
	err = j.tryLedger(ctx)
	if err != nil {
		return nil, err
	}
	w, err = begin(ctx)
	if err != nil {
		return nil, err
	}
	err = w.prepare(ctx)
	if err != nil {
		return w, err
	}
	var out *pass.Outcome
	err = j.phase(phaseLoad, func() error {
		out, err = j.send(ctx, w)
		return err
	})
	if err != nil {
		return w, err
	}
	allow := j.plan.Allow
	if !j.RollBack && allow.Exceeded(out.Rejects.Total(), out.Records) {
		return w, &TooManyError{Rejected: out.Rejects.Total(), Records: out.Records, Allow: allow, File: j.rejects.File()}
	}
	if (len(j.table.Indexes) > 0 || j.table.References()) && j.receipt.Outcome.newTable() {
		err = j.phase(PhaseIndex, func() error { return j.index(ctx) })
		if err != nil {
			return w, err
		}
	}
	err = j.phase(PhaseVerify, func() error { return j.prove(ctx, w, out) })
	if err != nil {
		return w, err
	}
	err = j.show(ctx)
	if err != nil {
		return w, err
	}
	if j.RollBack {
		return w, errRolledBack
	}
	err = j.writePending()
	if err != nil {
		return w, err
	}
	// What is interrupted in the middle of a commit may be committed, and nobody
	// would know.
	err = j.phase(PhaseCommit, func() error { return w.commit(context.WithoutCancel(ctx)) })
	if err != nil {
		return w, err
	}
	j.receipt.Verified = true
	return w, j.phase(PhaseStatistics, func() error { j.analyze(ctx); return nil })
}

// prove compares the table with the source, and the counts with each other.
func (j *job) prove(ctx context.Context, w way, out *pass.Outcome) (err error) {
	r := j.receipt
	r.Differences, err = w.verify(ctx, out)
	if err != nil {
		return err
	}
	c := r.Counts
	if c.Read != c.Loaded+c.Rejected+c.Skipped {
		r.Differences = append(r.Differences, Difference{
			Figure: "records", Source: fmt.Sprint(c.Read), Table: fmt.Sprint(c.Loaded + c.Rejected + c.Skipped),
		})
	}
	if len(r.Differences) > 0 {
		return ErrDiffers
	}
	return nil
}

// rollback ends the transaction of a load, and removes what a failed one has left
// outside of it. After a commit it does nothing.
func (j *job) rollback(w way, err error) error {
	if err != nil {
		j.enter(PhaseRollback)
	}
	back := j.tx.Rollback()
	if err == nil {
		return nil
	}
	if back != nil {
		err = errors.Join(err, back)
	}
	if j.doubt != nil {
		j.doubt.dismiss(j.to, err)
	}
	if j.undoSchema != nil && w.committed() == 0 {
		err = errors.Join(err, j.undoSchema())
	}
	return err
}
