package parse_test

import (
	"math/big"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/parse"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// TestDecimals reads numbers with more zeros than they need: an unscaled number of at most
// MaxDigits digits is in Int, whatever its notation.
func TestDecimals(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 20_000 {
		size := 1 + rng.IntN(38)
		scale := rng.IntN(size + 1)
		read, err := parse.New(table.Column{Type: table.Type{Kind: table.Decimal, Size: size, Scale: scale}})
		require.NoError(t, err)
		want := new(big.Int)
		for range rng.IntN(size + 1) {
			want.Add(want.Mul(want, big.NewInt(10)), big.NewInt(rng.Int64N(10)))
		}
		digits := want.String()
		digits = strings.Repeat("0", max(0, scale+1-len(digits))) + digits
		cell := digits[:len(digits)-scale] + "." + digits[len(digits)-scale:] + strings.Repeat("0", rng.IntN(max(1, 38-len(digits))))
		if rng.IntN(2) == 0 {
			cell = "-" + cell
			want.Neg(want)
		}
		var v value.Value
		require.Empty(t, read([]byte(cell), &v), "%s as decimal(%d,%d)", cell, size, scale)
		if v.Wide {
			require.Greater(t, len(v.Text), value.MaxDigits, cell)
			require.Equal(t, new(big.Int).Abs(want).String(), string(v.Text), cell)
			require.Equal(t, want.Sign() < 0, v.Negative, cell)
		} else {
			require.Equal(t, want.Int64(), v.Int, cell)
		}
	}
}
