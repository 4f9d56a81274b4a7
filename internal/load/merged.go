package load

import (
	"context"
	"errors"
	"fmt"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/pass"
	"ambertray/internal/refusal"
)

// Conditions of a merge.
var (
	ErrNoKey     = errors.New("the plan has no key to merge by")
	ErrMergeOnce = errors.New("a merge is one transaction, and cannot commit in between")
)

// merged loads into a staging table, which it merges into an existing table by the
// key, in one transaction.
type merged struct {
	*job
	merging database.StagingTx // the transaction
	numbers database.Numbers
	done    database.Merged
	// repeatedKeys are rows that were sent again and have the key of a row that was merged before.
	repeatedKeys refusal.List
}

// stageName is the name of the staging table, which is a temporary one, and againName that of one for rows that
// are merged again.
const (
	stageName = "ambertray_stage"
	againName = "ambertray_stage_again"
)

func (m *merged) prepare(ctx context.Context) (err error) {
	err = m.openExisting(ctx, false)
	if err != nil {
		return err
	}
	if len(m.table.Key) == 0 {
		return fmt.Errorf("table %s: %w", m.table.Name, ErrNoKey)
	}
	m.receipt.Outcome = Merged
	err = m.countBefore(ctx)
	if err != nil {
		return err
	}
	m.merging, err = database.Require[database.StagingTx](m.to, m.tx, "merging rows")
	if err != nil {
		return err
	}
	err = m.merging.Stage(ctx, m.table, stageName)
	if err != nil {
		return err
	}
	return m.openSink(ctx, stageName)
}

func (m *merged) write(_ context.Context, k *convert.Block) error {
	m.numbers.Add(k)
	return m.sink.Write(k)
}

// finish merges what was loaded. Rows are refused by the staging table or in the
// merge.
func (m *merged) finish(ctx context.Context, abort error) (rows int64, refused *refusal.List, err error) {
	encoder := m.sink.Encoder()
	_, byStage, err := m.closeSink(abort)
	if err != nil || abort != nil {
		return 0, nil, err
	}
	m.numbers.Remove(byStage)
	err = m.phase(PhaseMerge, func() (err error) {
		m.done, refused, err = m.merging.Merge(ctx, m.table, stageName, "", &m.numbers)
		if err == nil {
			_, refused, err = m.resend(ctx, refused, encoder, m.mergeAgain)
		}
		return err
	})
	if err != nil {
		return 0, nil, err
	}
	refused.Append(byStage)
	refused.Append(&m.repeatedKeys)
	m.receipt.Merged = &m.done
	return m.done.Rows(), refused, nil
}

// mergeAgain merges rows that were refused before.
func (m *merged) mergeAgain(ctx context.Context, blocks []*convert.Block) (rows int64, refused *refusal.List, err error) {
	stage := *m.table
	stage.Name, stage.Key = againName, nil
	err = m.merging.Stage(ctx, m.table, againName)
	if err != nil {
		return 0, nil, err
	}
	numbers := database.Numbers{}
	for _, k := range blocks {
		numbers.Add(k)
	}
	_, byStage, err := m.sendTo(ctx, &stage, blocks)
	if err != nil {
		return 0, nil, err
	}
	numbers.Remove(byStage)
	done, refused, err := m.merging.Merge(ctx, m.table, againName, stageName, &numbers)
	if err != nil {
		return 0, nil, err
	}
	refused.Append(byStage)
	m.repeatedKeys.Append(done.Duplicates)
	m.done = database.Merged{Inserted: m.done.Inserted + done.Inserted, Updated: m.done.Updated + done.Updated, Unchanged: m.done.Unchanged + done.Unchanged, Agree: done.Agree}
	return done.Rows(), refused, nil
}

// verify checks that the staging table has the rows of the source, that the
// table has every row of it, and that the table has grown by what is new.
func (m *merged) verify(ctx context.Context, out *pass.Outcome) ([]Difference, error) {
	stage := *m.table
	stage.Name = stageName
	want := expected(out)
	got, err := m.sumTable(ctx, &stage)
	if err != nil {
		return nil, err
	}
	var differences []Difference
	switch {
	case got != want:
		differences = compareSums(want, got)
		err = m.findDifferences(ctx, m.rowsOf(&stage, 0), nil, true)
	case m.done.Agree != m.done.Rows(): // a trigger has changed what was merged
		err = m.findDifferences(ctx, m.rowsOf(m.table, 0), nil, false)
	}
	if err != nil {
		return nil, err
	}
	r := m.receipt
	after, err := m.to.Count(ctx, m.table.Name)
	if err != nil {
		return nil, err
	}
	r.Counts.TableAfter = &after
	for _, d := range []struct {
		figure    string
		want, got int64
	}{{"rows", *r.Counts.TableBefore + m.done.Inserted, after}, {"rows that agree", m.done.Rows(), m.done.Agree}} {
		if d.want != d.got {
			differences = append(differences, Difference{Figure: d.figure, Source: fmt.Sprint(d.want), Table: fmt.Sprint(d.got)})
		}
	}
	return differences, nil
}

func (m *merged) commit(ctx context.Context) error { return m.commitWith(ctx, m.loadedEntry()) }
func (m *merged) committed() int64                 { return 0 }
func (m *merged) abort(err error) error            { return m.giveUp(err) }
