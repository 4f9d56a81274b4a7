package postgres

import (
	"bytes"
	"regexp"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// read sets v to the value of an element, and reports whether the text is one that its type takes.
func (e *element) read(item []byte, v *value.Value) bool {
	*v = value.Value{}
	switch e.Kind {
	case table.SmallInt, table.Integer, table.BigInt:
		n, err := strconv.ParseInt(string(item), 10, bitsOf[e.Kind])
		v.Int = n
		return err == nil
	case table.Decimal:
		return e.readDecimal(item, v)
	case table.Boolean:
		truth, ok := truths[strings.ToLower(string(item))]
		v.Int = truth
		return ok
	case table.Date, table.Timestamp, table.TimestampTZ:
		return e.readMoment(string(item), v)
	case table.UUID:
		v.Text = bytes.ToLower(item)
		return uuid.Match(v.Text)
	}
	v.Text = item
	return e.Kind != table.Varchar || e.Size == 0 || utf8.RuneCount(item) <= e.Size
}

var truths = map[string]int64{"t": 1, "true": 1, "f": 0, "false": 0}

var bitsOf = map[table.Kind]int{table.SmallInt: 16, table.Integer: 32, table.BigInt: 64}

var (
	plainNumber = regexp.MustCompile(`^[+-]?[0-9]+(\.[0-9]+)?$`)
	uuid        = regexp.MustCompile(`^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$`)
)

// readDecimal reads a plain number. Every number of a numeric without precision has decimals of its own.
func (e *element) readDecimal(item []byte, v *value.Value) bool {
	if !plainNumber.Match(item) {
		return false
	}
	item = bytes.TrimPrefix(item, []byte{'+'})
	whole, decimals, _ := bytes.Cut(bytes.TrimPrefix(item, []byte{'-'}), []byte{'.'})
	scale := e.Scale
	if e.anyDecimal {
		scale = len(decimals)
	}
	v.ReadDecimal(item, scale)
	if v.Wide && string(v.Text) == "0" {
		v.Negative = false
	}
	fits := len(bytes.TrimLeft(whole, "0")) <= e.Size-scale && len(decimals) <= scale
	return !v.Untyped && (e.anyDecimal || fits)
}

// readMoment reads a date, or a date and a time with the offset that the type has.
func (e *element) readMoment(text string, v *value.Value) bool {
	layouts := []string{"2006-01-02 15:04:05"}
	switch e.Kind {
	case table.Date:
		layouts[0] = "2006-01-02"
	case table.TimestampTZ:
		layouts = []string{"2006-01-02 15:04:05Z07", "2006-01-02 15:04:05Z07:00"}
	}
	for _, layout := range layouts {
		at, err := time.Parse(layout, text)
		if err != nil || at.Nanosecond()%1000 != 0 || at.UTC().Year() < 1 || at.UTC().Year() > 9999 {
			continue
		}
		v.Int = at.UnixMicro()
		if e.Kind == table.Date {
			v.Int = at.Unix() / secondsPerDay
		}
		step := int64(1)
		for range table.Micros - e.Fraction() {
			step *= 10
		}
		return e.Kind == table.Date || v.Int%step == 0
	}
	return false
}

// append appends a value as the server's cast.
func (e *element) append(dst []byte, v *value.Value) []byte {
	if v.Untyped {
		return append(dst, v.Text...)
	}
	switch e.Kind {
	case table.SmallInt, table.Integer, table.BigInt:
		return strconv.AppendInt(dst, v.Int, 10)
	case table.Decimal:
		return v.AppendDecimal(dst)
	case table.Boolean:
		return append(dst, "ft"[v.Int])
	case table.Date:
		return value.AppendDate(dst, v.Int)
	case table.Timestamp, table.TimestampTZ:
		dst = value.AppendTimestamp(dst, v.Int)
		if v.Int%1e6 != 0 {
			dst = bytes.TrimRight(dst, "0")
		}
		if e.Kind == table.TimestampTZ {
			dst = append(dst, "+00"...)
		}
		return dst
	}
	return append(dst, v.Text...)
}
