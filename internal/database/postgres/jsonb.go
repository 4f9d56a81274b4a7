package postgres

import (
	"errors"
	"strconv"
	"strings"

	"ambertray/internal/database"
)

// jsonb is written as the functions jsonb_in, numeric_in and jsonb_out of the server's source define.
// It would take more levels, but a value that is nested too deep cancels the load.
var jsonb = database.JSON{Native: "jsonb", MaxDepth: 1000, Number: appendNumber}

var errNumberJSON = errors.New("has a number that is outside the range of jsonb")

// The largest numbers of digits of a numeric before and after the point.
const (
	maxWhole    = 131072
	maxFraction = 16383
)

// appendNumber appends a number without its exponent.
func appendNumber(dst []byte, number string) ([]byte, error) {
	number, negative := strings.CutPrefix(number, "-")
	mantissa, power, _ := strings.Cut(strings.ToLower(number), "e")
	whole, fraction, _ := strings.Cut(mantissa, ".")
	exponent := 0
	if power != "" {
		n, err := strconv.ParseInt(power, 10, 32)
		if err != nil {
			return dst, errNumberJSON
		}
		exponent = int(n)
	}
	digits := strings.TrimLeft(whole+fraction, "0")
	scale := max(len(fraction)-exponent, 0)
	if scale > maxFraction || digits != "" && len(digits)-len(fraction)+exponent > maxWhole {
		return dst, errNumberJSON
	}
	if digits == "" {
		exponent = min(exponent, len(fraction)) // zeros before the point are one
	}
	if exponent > len(fraction) {
		digits += strings.Repeat("0", exponent-len(fraction))
	}
	if len(digits) <= scale {
		digits = strings.Repeat("0", scale+1-len(digits)) + digits
	}
	if negative && strings.Trim(digits, "0") != "" {
		dst = append(dst, '-')
	}
	dst = append(dst, digits[:len(digits)-scale]...)
	if scale > 0 {
		dst = append(append(dst, '.'), digits[len(digits)-scale:]...)
	}
	return dst, nil
}
