package reject

import "strings"

// A spreadsheet program runs a cell that begins with one of these as a formula. In
// a file of rejects such cells begin with an apostrophe, and so do those that
// begin with an apostrophe already: taking one off gives every cell back.
const (
	formulaSigns = "=+-@\t\r"
	apostrophe   = '\''
)

// Mark marks the cells of a row that a spreadsheet program would run, in place. A
// plain number is safe.
func Mark(row []string) []string {
	for i, cell := range row {
		if cell != "" && (cell[0] == apostrophe || strings.IndexByte(formulaSigns, cell[0]) >= 0 && !plainNumber(cell)) {
			row[i] = string(apostrophe) + cell
		}
	}
	return row
}

// Unmark reverses Mark.
func Unmark(cell string) string { return strings.TrimPrefix(cell, string(apostrophe)) }

// IsMarked reports whether a cell was marked.
func IsMarked(cell []byte) bool { return len(cell) > 0 && cell[0] == apostrophe }

// plainNumber reports whether a cell is a sign and then only digits and signs that
// stand in numbers.
func plainNumber(cell string) bool {
	return len(cell) > 1 && strings.Trim(cell[1:], "0123456789.,") == "" && cell[1] >= '0' && cell[1] <= '9'
}
