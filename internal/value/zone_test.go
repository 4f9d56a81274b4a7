package value

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// TestZone compares local times with those that package time writes, and names those that clocks have
// never or twice shown.
func TestZone(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for _, name := range []string{"Europe/Berlin", "America/New_York", "Australia/Lord_Howe", "Pacific/Apia", "UTC", "+05:45", "-0330"} {
		z, err := ParseZone(name)
		require.NoError(t, err)
		once := 0
		for range 5000 {
			moment := time.Unix(rng.Int64N(4e9)-2e9, 250_000_000).In(z.location)
			_, offset := moment.Zone()
			local := moment.UnixMicro() + int64(offset)*1e6
			require.Equal(t, local, z.Local(moment.UnixMicro()))
			utc, why := z.UTC(local)
			if why == "" {
				require.Equal(t, moment.UnixMicro(), utc, "%s: %s", name, moment)
				once++
			}
		}
		require.Greater(t, once, 4980, name)
	}
	berlin, err := ParseZone("Europe/Berlin")
	require.NoError(t, err)
	for local, want := range map[string]string{
		"2026-03-29T01:59:59Z": "", "2026-03-29T02:00:00Z": "does not exist in Europe/Berlin: clocks were set forward", "2026-03-29T03:00:00Z": "",
		"2026-10-25T01:59:59Z": "", "2026-10-25T02:00:00Z": "ambiguous in Europe/Berlin: clocks were set back", "2026-10-25T02:59:59Z": "ambiguous in Europe/Berlin: clocks were set back", "2026-10-25T03:00:00Z": "",
	} {
		at, err := time.Parse(time.RFC3339, local)
		require.NoError(t, err)
		_, why := berlin.UTC(at.UnixMicro())
		require.Equal(t, want, why, local)
	}
	for _, name := range []string{"", "Local", "Europe/Nowhere", "../etc"} {
		_, err := ParseZone(name)
		require.ErrorContains(t, err, "write UTC, an offset such as +01:00, or a name such as Europe/Berlin", name)
	}
}
