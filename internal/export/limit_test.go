package export

import "testing"

// LimitSheets makes sheets end after a few rows, until the test ends.
func LimitSheets(t *testing.T, rows int) {
	was := maxSheetRows
	maxSheetRows = rows
	t.Cleanup(func() { maxSheetRows = was })
}
