package load

import (
	"context"
	"errors"
	"fmt"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/table"
)

// Conditions of a merge.
var (
	ErrNoKey     = errors.New("the plan has no key to merge by")
	ErrMergeOnce = errors.New("a merge is one transaction, and cannot commit in between")
)

// merge is the state of a load whose rows go into a stage first, which is then
// merged into the table.
type merge struct {
	stage   *table.Table
	numbers database.Numbers
	done    database.Merged
}

const stageName = "ambertray_stage"

// stageMerge makes the stage.
func (l *loading) stageMerge(ctx context.Context) (err error) {
	if len(l.table.Key) == 0 {
		return fmt.Errorf("table %s: %w", l.table.Name, ErrNoKey)
	}
	l.receipt.Done = "merged"
	if l.receipt.Counts.TableBefore, err = l.rows(ctx); err != nil {
		return err
	}
	stage := *l.table
	stage.Name, stage.Key = stageName, nil
	l.merge = &merge{stage: &stage}
	return l.tx.Stage(ctx, l.table, stageName)
}

// mergeStage merges what was loaded, and returns how many rows are in the table
// now and which were refused, by the stage or in the merge.
func (l *loading) mergeStage(ctx context.Context, byStage *convert.Refusals) (rows int64, refused *convert.Refusals, err error) {
	l.merge.numbers.Remove(byStage)
	err = l.phase("merge", func() (err error) {
		l.merge.done, refused, err = l.tx.Merge(ctx, l.table, stageName, &l.merge.numbers)
		return err
	})
	if err != nil {
		return 0, nil, err
	}
	refused.Append(byStage)
	l.receipt.Merged = &l.merge.done
	return l.merge.done.Rows(), refused, nil
}

// verifyMerge proves the rest: the stage has the figures of the source, every
// row of it agrees with the table, and the table has grown by what is new.
func (l *loading) verifyMerge(ctx context.Context) (differences []Difference, err error) {
	r, m := l.receipt, l.merge.done
	if r.Counts.TableAfter, err = l.rows(ctx); err != nil {
		return nil, err
	}
	for _, d := range []struct {
		figure    string
		want, got int64
	}{{"rows", r.Counts.TableBefore + m.Inserted, r.Counts.TableAfter}, {"rows that agree", m.Rows(), m.Agree}} {
		if d.want != d.got {
			differences = append(differences, Difference{Figure: d.figure, Source: fmt.Sprint(d.want), Table: fmt.Sprint(d.got)})
		}
	}
	return differences, nil
}
