package report

import (
	"math"
	"strconv"

	"github.com/dustin/go-humanize"
)

// plain writes a number with four significant digits, and groups of three.
func plain(f float64) string {
	text := strconv.FormatFloat(f, 'g', 4, 64)
	rounded, err := strconv.ParseFloat(text, 64)
	if err != nil || math.Abs(rounded) >= 1e15 {
		return text
	}
	return humanize.Commaf(rounded)
}
