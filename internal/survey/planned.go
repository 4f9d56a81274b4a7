package survey

import (
	"context"

	"ambertray/internal/convert"
	"ambertray/internal/pass"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/tray"
)

// both is what comes of a batch that is surveyed and converted.
type both struct {
	seen  seen
	block *convert.Block
}

// Planned surveys the source of a tray and converts it by the plan, in one pass. The
// options of the survey that find or limit what is read do not count.
func Planned(ctx context.Context, t *tray.Tray, from *source.Opener, o Options, by pass.Options) (*Survey, *pass.Outcome, error) {
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, nil, err
	}
	defer p.Close()
	running, err := p.Start(by)
	if err != nil {
		return nil, nil, err
	}
	o.Sample = 0
	w := newSurveying(p.Intake(), t.Layout, o)
	var works []record.Work[both]
	profile := w.works()
	for i, convert := range running.Works() {
		works = append(works, func(b *record.Batch) (res both, err error) {
			res.seen, err = profile[i](b)
			if err == nil {
				res.block, err = convert(b)
			}
			return res, err
		})
	}
	take := w.take(p.Intake())
	err = record.Run(ctx, p.Intake(), works, func(res both) error {
		err := take(res.seen)
		if err != nil {
			return err
		}
		return running.Add(res.block)
	})
	if err != nil {
		return nil, nil, err
	}
	w.end(p.Intake())
	s, err := w.finish(ctx, from, p.Listing, t.Paths())
	return s, running.Outcome(), err
}
