package mysql

import (
	"fmt"
	"strconv"
	"strings"

	"ambertray/internal/database"
)

// jsonType is the type json of MySQL. That of MariaDB is a text, which stays as it is.
var jsonType = database.JSON{Native: "json", MaxDepth: 100, Number: appendNumber}

// appendNumber appends a number as MySQL writes it: whole numbers of 64 bits as they are, all others as
// doubles in the fewest digits. They have an exponent below 1e-15, and from 1e15 on unless there are
// digits after the point.
func appendNumber(dst []byte, number string) ([]byte, error) {
	if !strings.ContainsAny(number, ".eE") {
		if number == "-0" {
			return append(dst, '0'), nil
		}
		_, err := strconv.ParseInt(number, 10, 64)
		_, unsignedErr := strconv.ParseUint(number, 10, 64)
		if err == nil || unsignedErr == nil {
			return append(dst, number...), nil
		}
	}
	double, err := strconv.ParseFloat(number, 64)
	shortest := strconv.FormatFloat(double, 'e', -1, 64)
	if err != nil || significant(number) != significant(shortest) {
		return dst, fmt.Errorf("has the number %s, which json would round", number)
	}
	mantissa, power, _ := strings.Cut(shortest, "e")
	exponent, _ := strconv.Atoi(power) // which FormatFloat has written
	whole := len(strings.Trim(mantissa, "-"))-len(".") <= exponent+1
	if exponent < -15 || exponent > 14 && whole {
		return append(append(append(dst, mantissa...), 'e'), strconv.Itoa(exponent)...), nil
	}
	at := len(dst)
	dst = strconv.AppendFloat(dst, double, 'f', -1, 64)
	if !strings.Contains(string(dst[at:]), ".") {
		dst = append(dst, ".0"...)
	}
	return dst, nil
}

// significant returns the digits of a number without zeros around them, and the power of ten of the
// first one.
func significant(number string) string {
	mantissa, power, _ := strings.Cut(strings.ToLower(strings.TrimPrefix(number, "-")), "e")
	whole, fraction, _ := strings.Cut(mantissa, ".")
	exponent, _ := strconv.Atoi(power) // 0 without one
	digits := strings.TrimLeft(whole+fraction, "0")
	if digits == "" {
		return "0"
	}
	exponent += len(digits) - len(fraction) - 1
	return strings.TrimRight(digits, "0") + "e" + strconv.Itoa(exponent)
}
