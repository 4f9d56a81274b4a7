package load

import (
	"context"
	"fmt"
	"strings"

	"ambertray/internal/ledger"
)

// enterDoubt begins a load into a table on several servers.
func (j *job) enterDoubt(ctx context.Context) error {
	j.receipt.Remarks = append(j.receipt.Remarks, fmt.Sprintf("the table is stored by %s on other servers, which do not commit together: %s",
		j.storage.Engine, strings.Join(j.storage.Servers, ", ")))
	j.doubt = &doubt{}
	if j.NoLedger {
		return nil
	}
	content, err := j.content(ctx)
	if err != nil {
		return err
	}
	entry := j.newEntry(content)
	entry.State, entry.Load = ledger.InDoubt, j.receipt.Load
	err = j.tx.Commit(ctx, &entry)
	if err != nil {
		return err
	}
	j.doubt.entry = &entry
	j.tx, err = j.to.Begin(ctx)
	return err
}

// commitWith makes the rows permanent, with their entry in the ledger unless it is
// nil.
func (j *job) commitWith(ctx context.Context, entry *ledger.Entry) error {
	j.receipt.InLedger = entry != nil
	j.committing = true
	if j.doubt == nil {
		return j.tx.Commit(ctx, entry)
	}
	err := j.tx.Commit(ctx, nil)
	if err != nil {
		return j.doubt.fail(j.receipt.Table, err)
	}
	err = j.doubt.complete(ctx, j.to, entry)
	if err != nil {
		j.receipt.Remarks = append(j.receipt.Remarks, "the ledger could not be changed, and still has the load as one in doubt: "+err.Error())
	}
	return nil
}
