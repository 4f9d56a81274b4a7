package sheet

import (
	"fmt"
	"math"
)

// values is what the values of cells refer to.
type values struct {
	styles []format // by the style of a cell
	shared texts
	is1904 bool // days are counted from 1904 on
}

// style returns the format of a style.
func (v *values) style(i int) *format {
	if i < 0 || i >= len(v.styles) {
		return &format{}
	}
	return &v.styles[i]
}

// writeNumber writes the number of a cell of a binary workbook.
func (v *values) writeNumber(w *writer, col, style int, x float64) error {
	ok, err := w.cell(col)
	if ok {
		w.out = v.style(style).appendFloat(w.out, x, v.is1904)
		w.number()
	}
	return err
}

// errorWord returns the error of a cell of a binary workbook by its code, which
// [MS-XLSB] 2.5.97.2 and [MS-XLS] 2.5.10 list.
func errorWord(code int) string {
	word, ok := errorWords[code]
	if ok {
		return word
	}
	return fmt.Sprintf("#ERROR %d", code)
}

var errorWords = map[int]string{
	0x00: "#NULL!", 0x07: "#DIV/0!", 0x0f: "#VALUE!", 0x17: "#REF!", 0x1d: "#NAME?", 0x24: "#NUM!", 0x2a: "#N/A", 0x2b: "#GETTING_DATA",
}

func truth(is bool) string {
	if is {
		return "TRUE"
	}
	return "FALSE"
}

// unpacked returns a number that is packed into 32 bits ([MS-XLS] 2.5.198.97,
// RkNumber).
func unpacked(rk uint32) float64 {
	x := float64(int32(rk) >> 2)
	if rk&2 == 0 {
		x = math.Float64frombits(uint64(rk&^3) << 32)
	}
	if rk&1 != 0 {
		x /= 100
	}
	return x
}

// texts keeps many texts in little memory.
type texts struct {
	data []byte
	ends []uint32
}

// The length of all shared texts together, and their number.
const (
	maxTexts     = 1 << 30
	maxTextCount = 1 << 26
)

func (t *texts) add(text []byte) error {
	if len(t.data)+len(text) > maxTexts || len(t.ends) >= maxTextCount {
		return fmt.Errorf("%w: the shared strings are longer than %d MB, or more than %d", ErrTooLarge, maxTexts>>20, maxTextCount)
	}
	t.data = append(t.data, text...)
	t.ends = append(t.ends, uint32(len(t.data)))
	return nil
}

// at returns a text, and whether there is one of that number.
func (t *texts) at(i int) ([]byte, bool) {
	if i < 0 || i >= len(t.ends) {
		return nil, false
	}
	start := uint32(0)
	if i > 0 {
		start = t.ends[i-1]
	}
	return t.data[start:t.ends[i]:t.ends[i]], true
}

// addStyle adds the style of a cell by the number of its format: one of those
// that the workbook has, or a built-in one.
func (v *values) addStyle(id int, own map[int]format) {
	f, custom := own[id]
	if !custom {
		f = builtin(id)
	}
	v.styles = append(v.styles, f)
}
