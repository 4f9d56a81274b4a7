package frame

import (
	"math"
	"strconv"

	"ambertray/internal/value"
)

// Tables with a column for each day, hour or age have numbers or dates as headings. They
// are known by their order, which the rows below them do not have.

const (
	// minSteps is the length of the shortest series with equal steps, and minRising that of
	// the shortest with other steps upwards.
	minSteps  = 3
	minRising = 8
	// sureSeries is the length from which a series is not an accident.
	sureSeries = 6
)

// span is the cells of a row from one column to the one before another.
type span struct{ from, to int }

func (s span) len() int { return s.to - s.from }

// inSeries reports whether a cell belongs to a series of headings.
func (h *Head) inSeries(r, c int) bool {
	s, known := h.series[r]
	if !known {
		s = h.findSeries(r)
		h.series[r] = s
	}
	return s.from <= c && c < s.to
}

// findSeries returns the series of headings in a row, which is empty if it has none.
func (h *Head) findSeries(r int) span {
	s := h.alikeCells(r)
	switch {
	case s.len() < 2 || r+2 >= h.Rows.Len() || h.Filled(r) < h.Width-1 || !h.firstFilled(r, s):
	case h.beside(r, s, func(c int) bool { return h.likeCodes(r, r+1, c) }):
	case h.kind(r, s.from) == value.Date && h.areDates(r, s):
		return s
	case s.len() == h.Rows.Width(r) && !numbersColumns(h.Cell(r, 0), s.len()):
	case h.rises(r, s, false) && !h.risesBelow(r, s, false):
		return s
	case h.rises(r, s, true) && !h.risesBelow(r, s, true) && h.beside(r, s, func(c int) bool { return h.namesValues(r, c) }):
		return s
	}
	return span{}
}

// firstFilled reports whether no row above a row has as many values, or has words where the
// row has its series.
func (h *Head) firstFilled(r int, s span) bool {
	for above := h.top; above < r; above++ {
		words := 0
		for c := s.from; c < s.to; c++ {
			if h.kind(above, c) == value.Text {
				words++
			}
		}
		if h.Filled(above) >= h.Filled(r) || words == s.len() {
			return false
		}
	}
	return true
}

// beside reports whether a cell of a row outside its series meets a condition.
func (h *Head) beside(r int, s span, condition func(c int) bool) bool {
	for c := range h.Rows.Width(r) {
		if (c < s.from || c >= s.to) && condition(c) {
			return true
		}
	}
	return false
}

// namesValues reports whether a cell is a text, and the values below it are of another kind.
func (h *Head) namesValues(r, c int) bool {
	return h.kind(r, c) == value.Text && h.KindBelow(c, r+1, noHeader) != value.Text
}

// alikeCells returns the numbers or the dates of a row, if they stand side by side.
func (h *Head) alikeCells(r int) span {
	s := span{}
	for c := range h.Rows.Width(r) {
		k := h.kind(r, c)
		switch {
		case k != value.Integer && k != value.Date:
		case s.len() == 0:
			s = span{c, c + 1}
		case s.to == c && k == h.kind(r, s.from):
			s.to++
		default:
			return span{}
		}
	}
	return s
}

// areDates reports whether the dates of a row are distinct, and no dates are below them.
func (h *Head) areDates(r int, s span) bool {
	seen := map[string]bool{}
	for c := s.from; c < s.to; c++ {
		seen[string(h.Cell(r, c))] = true
		if h.KindBelow(c, r+1, noHeader) == value.Date {
			return false
		}
	}
	return len(seen) == s.len()
}

// numbersColumns reports whether a row of numbers alone, of which the first is given, can
// be the numbers of the columns.
func numbersColumns(first []byte, columns int) bool {
	return string(first) == "0" || string(first) == "1" && columns >= sureSeries
}

// rises reports whether the numbers of a row rise by equal steps or, unless they must be
// equal, many by any steps.
func (h *Head) rises(r int, s span, mustEqual bool) bool {
	last, step, equal := 0.0, 0.0, true
	for c := s.from; c < s.to; c++ {
		number, err := strconv.ParseFloat(string(h.Cell(r, c)), 64)
		now := number - last
		if err != nil || c > s.from && now <= 0 {
			return false
		}
		equal = equal && (c <= s.from+1 || math.Abs(now-step) < 1e-6*step)
		last, step = number, now
	}
	return equal && s.len() >= minSteps || !mustEqual && s.len() >= minRising
}

// risesBelow reports whether more of the rows below a row rise as it does than by accident:
// one in ten, or one of three.
func (h *Head) risesBelow(r int, s span, mustEqual bool) bool {
	rows, rising := 0, 0
	for below := r + 1; below < min(h.Rows.Len(), r+KindRows); below++ {
		rows++
		if h.rises(below, s, mustEqual) {
			rising++
		}
	}
	return 10*rising > rows+7
}

// shortSeries reports whether the header has so short a series that it may be a record.
func (h *Head) shortSeries(header int) bool {
	s := h.series[header]
	return s.len() > 0 && s.len() < sureSeries && h.kind(header, s.from) == value.Integer
}
