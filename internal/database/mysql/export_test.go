package mysql

import (
	"context"

	"ambertray/internal/convert"
	"ambertray/internal/pass"
	"ambertray/internal/refusal"
	"ambertray/internal/source"
	"ambertray/internal/tray"
)

// ForbidBulk makes the target believe that the server forbids its bulk load.
func (t *Target) ForbidBulk() { t.noBulk = true }

// LoadInto loads a tray into a table that is made by a statement.
func (t *Target) LoadInto(ddl string, tr *tray.Tray) (*refusal.List, error) {
	ctx := context.Background()
	err := t.exec(ctx, ddl)
	if err != nil {
		return nil, err
	}
	x, err := t.Begin(ctx)
	if err != nil {
		return nil, err
	}
	defer x.Rollback()
	sink, err := x.Load(ctx, &tr.Table)
	if err != nil {
		return nil, err
	}
	p, err := pass.Open(ctx, tr, &source.Opener{})
	if err != nil {
		return nil, err
	}
	defer p.Close()
	_, err = p.Run(ctx, pass.Options{Dialect: t.Dialect(), Encoder: sink.Encoder(), Block: func(k *convert.Block) error { return sink.Write(k) }})
	if err != nil {
		return nil, err
	}
	_, err = sink.Close(nil)
	return sink.Refused(), err
}

// LimitJSON lets tests compare it with the server.
var LimitJSON = jsonType.Limit()
