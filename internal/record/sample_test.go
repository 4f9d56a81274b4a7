package record_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/record"
)

// TestSample draws the same records however the source is cut, and evenly.
func TestSample(t *testing.T) {
	const size, records = 400, 40_000
	draw := func(batch, workers int) []record.Drawn {
		samples := make([]record.Sample, workers)
		for i := range samples {
			samples[i].Size = size
		}
		for from := 0; from < records; from += batch {
			b := record.New('\n', func(*record.Batch) {})
			b.FirstRecord, b.FirstLine = int64(from+1), int64(from+1)
			for range batch {
				start := len(b.Data)
				b.Data = append(b.Data, "amber\n"...)
				b.AddCell(record.Span{Start: uint32(start), End: uint32(start + 5)})
				b.EndRecord(start, start+5)
			}
			samples[from/batch%workers].Add(b, 1)
		}
		for i := range samples[1:] {
			samples[0].Merge(&samples[i+1])
		}
		return samples[0].Records()
	}
	whole := draw(1000, 1)
	require.Len(t, whole, size)
	require.Equal(t, whole, draw(250, 3))
	sum := 0.0
	for i, d := range whole {
		require.Equal(t, []string{"amber"}, d.Cells)
		require.True(t, i == 0 || whole[i-1].Number < d.Number)
		sum += float64(d.Number)
	}
	deviation := records / math.Sqrt(12*size) // of the mean of numbers drawn evenly
	require.InDelta(t, records/2, sum/size, 4*deviation)
	require.Empty(t, (&record.Sample{}).Records())
}
