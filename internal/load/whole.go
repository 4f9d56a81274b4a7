package load

import (
	"context"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/pass"
	"ambertray/internal/refusal"
)

// whole loads in one transaction, into a table that it creates, appends to or
// empties.
type whole struct{ *job }

func (w *whole) prepare(ctx context.Context) error {
	err := w.openTable(ctx, false)
	if err != nil {
		return err
	}
	return w.openSink(ctx, w.table.Name)
}

func (w *whole) write(_ context.Context, k *convert.Block) error { return w.sink.Write(k) }

func (w *whole) finish(ctx context.Context, abort error) (int64, *refusal.List, error) {
	sink, ok := w.sink.(database.ReopenedSink)
	reopens, encoder := ok && sink.Reopens(), w.sink.Encoder()
	rows, refused, err := w.closeSink(abort)
	if abort != nil || err != nil || !reopens {
		return rows, refused, err
	}
	added, refused, err := w.resend(ctx, refused, encoder, func(ctx context.Context, blocks []*convert.Block) (int64, *refusal.List, error) {
		return w.sendTo(ctx, w.table, blocks)
	})
	return rows + added, refused, err
}

func (w *whole) verify(ctx context.Context, out *pass.Outcome) ([]Difference, error) {
	return w.proveRows(ctx, expected(out), nil)
}

func (w *whole) commit(ctx context.Context) error { return w.commitWith(ctx, w.loadedEntry()) }

// committed counts every row where the engine of the table rolls nothing back.
func (w *whole) committed() int64 {
	if w.storage.NoTransactions {
		return w.receipt.Counts.Loaded
	}
	return 0
}

func (w *whole) abort(err error) error { return w.giveUp(err) }
