package note_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/note"
)

// TestNames lists few names, however many there are.
func TestNames(t *testing.T) {
	all := strings.Split(strings.Repeat("jan.csv ", 3000), " ")
	for n, want := range map[int]string{
		0: "", 1: "jan.csv", 5: "jan.csv, jan.csv, jan.csv, jan.csv, jan.csv",
		6: "jan.csv, jan.csv, jan.csv, jan.csv, jan.csv and 1 more", 3000: "jan.csv, jan.csv, jan.csv, jan.csv, jan.csv and 2,995 more",
	} {
		require.Equal(t, want, note.Names(all[:n]))
	}
}
