package value

import "bytes"

// Programs write ="0012" for the text 0012, so that spreadsheets, which take this for a formula,
// keep its zeros.

// TextFormulaStart begins such a cell. A quote ends it.
const TextFormulaStart = `="`

// IsTextFormula reports whether a cell is a formula that is a text without quotes.
func IsTextFormula(cell []byte) bool {
	last := len(cell) - 1
	return last >= len(TextFormulaStart) && string(cell[:len(TextFormulaStart)]) == TextFormulaStart && bytes.IndexByte(cell[len(TextFormulaStart):], '"') == last-len(TextFormulaStart)
}

// TextFormula returns the formula that is a text without quotes.
func TextFormula(text []byte) []byte {
	return append(append([]byte(TextFormulaStart), text...), '"')
}
