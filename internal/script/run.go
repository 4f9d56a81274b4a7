package script

import (
	"context"
	"errors"
	"io"
	"time"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
	"ambertray/internal/pass"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/tray"
)

// Options of a script.
type Options struct {
	Dialect  *dialect.Dialect
	Indexes  bool
	Rejects  string // path of the file that keeps the records which do not convert
	Progress func(pass.Progress)
}

// Result is what a script holds.
type Result struct {
	Dialect  string `json:"dialect"`
	Title    string `json:"-"`
	Table    string `json:"table"`
	Read     int64  `json:"read"`
	Rows     int64  `json:"rows"`
	Rejected int64  `json:"rejected"`
	Skipped  int64  `json:"skipped"`
	Rejects  struct {
		File     *string        `json:"file"`
		ByReason []reject.Group `json:"by_reason"`
	} `json:"rejects"`
}

// Run writes the table of a tray and the rows of its source to out.
func Run(ctx context.Context, out io.Writer, t *tray.Tray, from *source.Opener, o Options) (*Result, error) {
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	w, err := newWriter(out, o.Dialect, &t.Table, o.Indexes)
	if err != nil {
		return nil, err
	}
	rejects := reject.Writer{Path: o.Rejects, Headings: p.Headings, Sources: p.Sources}
	done, err := p.Run(ctx, pass.Options{
		Dialect: o.Dialect, Encoder: encoder{o.Dialect}, Load: ledger.NewID(time.Now()), Progress: o.Progress,
		Block: func(k *convert.Block) error {
			if err := rejects.Write(k.Rejects...); err != nil {
				return err
			}
			return w.write(k)
		},
	})
	if err := errors.Join(err, rejects.Close()); err != nil {
		return nil, err
	}
	res := &Result{
		Dialect: o.Dialect.Name, Title: o.Dialect.Title, Table: t.Table.Name,
		Read: done.Read(), Rejected: done.Rejects.Total(), Skipped: done.Skipped.Total(),
	}
	if res.Rejects.ByReason = done.Rejects.Groups(); res.Rejected > 0 {
		res.Rejects.File = &rejects.Path
	}
	res.Rows, err = w.close()
	return res, err
}
