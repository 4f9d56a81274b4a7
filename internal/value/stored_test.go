package value

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestStored reads back what is written of random values.
func TestStored(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	var v Value
	for range 20_000 {
		n := rng.Int64() >> rng.IntN(64)
		if rng.IntN(2) == 0 {
			n = -n
		}
		scale := rng.IntN(20)
		w := Value{Int: n, Scale: scale}
		v.ReadDecimal(w.AppendDecimal(nil), scale)
		if v.Wide {
			require.True(t, v.Narrow())
			require.Greater(t, len(v.Text), MaxDigits)
		}
		require.Equal(t, n, v.Int)
		v.ReadDecimal(append(w.AppendDecimal(nil), map[bool]string{true: "0", false: ".0"}[scale > 0]...), scale)
		require.False(t, v.Untyped, "a zero more")

		days := rng.Int64N(3_652_000) - 719_000
		v.ReadDate(AppendDate(nil, days))
		require.Equal(t, []any{days, false}, []any{v.Int, v.Untyped})
		micros := rng.Int64N(microsPerDay)
		v.ReadClock(AppendClock(nil, micros))
		require.Equal(t, []any{micros, false}, []any{v.Int, v.Untyped})
		v.ReadTimestamp(AppendTimestamp(nil, days*microsPerDay+micros))
		require.Equal(t, []any{days*microsPerDay + micros, false}, []any{v.Int, v.Untyped})
	}
	for text, read := range map[string]func([]byte){
		"12x": v.ReadInt, "1.234": func(b []byte) { v.ReadDecimal(b, 2) }, "1.2.3": func(b []byte) { v.ReadDecimal(b, 2) }, "": func(b []byte) { v.ReadDecimal(b, 2) },
		"2026-02-30": v.ReadDate, "2026-1-1": v.ReadDate, "0000-00-00": v.ReadDate, "2026-01-01 ": v.ReadDate,
		"10:00": v.ReadClock, "10:00:00.": v.ReadClock, "10:00:00,5": v.ReadClock, "838:59:59": v.ReadClock, "10:00:00.1234567": v.ReadClock,
		"2026-01-01": v.ReadTimestamp, "2026-01-01 10:00": v.ReadTimestamp,
	} {
		read([]byte(text))
		require.True(t, v.Untyped, text)
		require.Equal(t, text, string(v.Text))
	}
	v.ReadInt([]byte("-7"))
	require.Equal(t, []any{int64(-7), false}, []any{v.Int, v.Untyped})
}
