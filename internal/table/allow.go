package table

import (
	"fmt"
	"strconv"
	"strings"
)

// Allowance is how many records may be rejected for a load to be kept. The zero
// Allowance is any number.
type Allowance struct{ text string }

// ParseAllowance reads any, a number of records, or a share such as 0.5%.
func ParseAllowance(text string) (Allowance, error) {
	number := strings.TrimSuffix(text, "%")
	n, err := strconv.ParseFloat(number, 64)
	percent := number != text
	if text != "any" && (err != nil || n < 0 || percent && n > 100 || !percent && strings.ContainsAny(number, ".eE")) {
		return Allowance{}, fmt.Errorf("allow_rejects %q: write any, a number of records such as 10, or a share of them such as 0.5%%", text)
	}
	if text == "any" {
		text = ""
	}
	return Allowance{text}, nil
}

func (a Allowance) String() string {
	if a.text == "" {
		return "any"
	}
	return a.text
}

// Exceeded reports whether there are too many rejects for a number of records.
func (a Allowance) Exceeded(rejects, records int64) bool {
	if a.text == "" {
		return false
	}
	n, _ := strconv.ParseFloat(strings.TrimSuffix(a.text, "%"), 64)
	if strings.HasSuffix(a.text, "%") {
		n *= float64(records) / 100
	}
	return float64(rejects) > n
}
