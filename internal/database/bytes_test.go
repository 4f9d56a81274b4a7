package database_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
)

// TestBytesLimit reads bytes in both notations, and says why others are rejected.
func TestBytesLimit(t *testing.T) {
	const noBytes = "not bytes in hexadecimal digits, such as 0x00ff"
	limit := database.BytesLimit("varbinary(3)", "0x", 1, 3)
	for text, want := range map[string][2]string{
		"0x00fF": {"0x00ff"}, `\xA0`: {"0xa0"}, `0X0a0B0c`: {"0x0a0b0c"}, `\X01`: {"0x01"},
		"0x": {"", "0 bytes do not fit varbinary(3)"}, "0x01020304": {"", "4 bytes do not fit varbinary(3)"},
		"0x1": {"", noBytes}, "00ff": {"", noBytes}, "0x0g": {"", noBytes}, "": {"", noBytes}, "x": {"", noBytes}, `\\x00`: {"", noBytes}, "0x 00": {"", noBytes},
	} {
		stored, why := limit.Text([]byte(text))
		require.Equal(t, want, [2]string{string(stored), why}, "%q", text)
	}
	stored, why := database.BytesLimit("bytea", `\x`, 0, 8).Text([]byte("0xFF"))
	require.Equal(t, []string{`\xff`, ""}, []string{string(stored), why})
}
