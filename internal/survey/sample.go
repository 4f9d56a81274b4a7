package survey

import (
	"context"
	"io"
	"sync/atomic"

	"ambertray/internal/record"
)

// sampled hands out pieces until enough records were cut. It is for one worker.
type sampled struct {
	record.Reader
	left     int64
	complete atomic.Bool
}

// Next implements record.Reader.
func (s *sampled) Next() (record.Piece, error) {
	if s.complete.Load() {
		return nil, io.EOF
	}
	piece, err := s.Reader.Next()
	return samplePiece{piece, s}, err
}

type samplePiece struct {
	record.Piece
	of *sampled
}

// Cut implements record.Piece. Of a piece that was read ahead nothing is left.
func (p samplePiece) Cut(ctx context.Context) (*record.Batch, error) {
	b, err := p.Piece.Cut(ctx)
	if err != nil {
		return nil, err
	}
	if int64(b.Len()) > p.of.left {
		b.Truncate(int(p.of.left))
		p.of.complete.Store(true)
	}
	p.of.left -= int64(b.Len())
	return b, nil
}
