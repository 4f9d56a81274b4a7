package load

import (
	"context"

	"ambertray/internal/convert"
	"ambertray/internal/pass"
	"ambertray/internal/refusal"
)

// way is a way of loading: whole, with checkpoints, merged or mended. The runner
// calls its methods in the order in which they stand here, in one transaction of
// the target, which only checkpoints end in between.
type way interface {
	// prepare creates or opens the table and the bulk path into it.
	prepare(ctx context.Context) error
	// write sends a block, which it does not keep.
	write(ctx context.Context, k *convert.Block) error
	// finish ends the bulk path, or gives it up because of an error. It returns how
	// many rows the table has of the load, and those that the server refused.
	finish(ctx context.Context, abort error) (rows int64, refused *refusal.List, err error)
	// verify compares the table with what was read.
	verify(ctx context.Context, out *pass.Outcome) ([]Difference, error)
	// commit makes the rows permanent, with their entry in the ledger.
	commit(ctx context.Context) error
	// committed returns how many rows stay in the table if the load fails now.
	committed() int64
	// abort cleans up after a load that failed and was rolled back, and returns
	// the error for the caller.
	abort(err error) error
}
