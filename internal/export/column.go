package export

import (
	"bytes"
	"math"
	"strconv"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Column is a column of what is written.
type Column struct {
	Heading string
	Type    table.Type           // of its values in what is written
	at      int                  // index of the column that is read, -1 where the table has none
	null    []byte               // what is written for NULL
	read    func(v *value.Value) // converts a stored value to the type, or nil
	append  func(dst []byte, v *value.Value) []byte
}

// newColumn returns a column that is written by the rules of a plan's column. live is the
// column of the table, and at its index in the rows.
func newColumn(c *table.Column, at int, live *database.ColumnInfo, d *dialect.Dialect) Column {
	return Column{Heading: c.From, Type: c.Type, at: at, read: reader(c, live, d.Stored(c.Type)), append: appender(c)}
}

// Brief leaves out the zeros at the end of decimals, which only say how many digits the
// columns of a table have.
func (w *Work) Brief() {
	for i := range w.Columns {
		c := &w.Columns[i]
		if c.Type.Kind != table.Decimal {
			continue
		}
		write := c.append
		c.append = func(dst []byte, v *value.Value) []byte {
			start := len(dst)
			dst = write(dst, v)
			if bytes.IndexByte(dst[start:], '.') < 0 {
				return dst
			}
			return bytes.TrimRight(bytes.TrimRight(dst, "0"), ".")
		}
	}
}

// isEmpty reports whether a row has no value.
func (w *Work) isEmpty(row []value.Value) bool {
	for i := range w.Columns {
		if w.Columns[i].of(row) != nil {
			return false
		}
	}
	return true
}

// of returns the value of the column in a row, nil for NULL or where the table has no
// such column. A value that is not of the type is untyped.
func (c *Column) of(row []value.Value) *value.Value {
	if c.at < 0 || row[c.at].Null {
		return nil
	}
	v := &row[c.at]
	if c.read != nil {
		c.read(v)
	}
	return v
}

// mistaken reports whether a text would be read as NULL.
func (c *Column) mistaken(cell []byte) bool {
	return value.Blank(cell) || len(c.null) > 0 && bytes.Equal(cell, c.null)
}

// reader returns the function that converts a stored value to what is written, or nil.
func reader(c *table.Column, live *database.ColumnInfo, stored table.Type) func(v *value.Value) {
	switch {
	case live.Binary && stored.Textual():
		return func(v *value.Value) { v.Text = value.AppendBytes(nil, v.Text) }
	case c.Type.Kind == table.Boolean:
		return keepNumber
	case c.Type.Kind == table.Double && live.Type != nil && live.Type.Size == table.Single:
		return shortestSingle
	}
	return typed(c, stored)
}

// keepNumber keeps a number other than 0 and 1 in a column of booleans.
func keepNumber(v *value.Value) {
	if !v.Untyped && (v.Wide || v.Scale > 0 || v.Int != 0 && v.Int != 1) {
		v.SetUntyped(v.AppendDecimal(nil))
	}
}

// shortestSingle replaces a double that is stored in four bytes by the shortest number with
// the same four bytes.
func shortestSingle(v *value.Value) {
	f, err := strconv.ParseFloat(strconv.FormatFloat(v.Float, 'g', -1, 32), 64)
	if err == nil {
		v.Float = f
	}
}

// typed reads a value that the database keeps as text as the type that it has in the
// plan, as far as it is one.
func typed(c *table.Column, stored table.Type) func(v *value.Value) {
	if !stored.Textual() || c.Type.Textual() {
		return nil
	}
	switch c.Type.Kind {
	case table.Date:
		return func(v *value.Value) { v.ReadDate(v.Text) }
	case table.Time:
		return func(v *value.Value) { v.ReadClock(v.Text) }
	case table.Timestamp:
		return func(v *value.Value) { v.ReadTimestamp(v.Text) }
	case table.TimestampTZ:
		return func(v *value.Value) { v.ReadTimestamp(bytes.TrimSuffix(v.Text, []byte("+00:00"))) }
	case table.Decimal:
		return func(v *value.Value) { v.ReadDecimal(v.Text, c.Type.Scale) }
	}
	return nil
}

// appender returns what writes values of a column as text.
func appender(c *table.Column) func(dst []byte, v *value.Value) []byte {
	write := writer(c)
	return func(dst []byte, v *value.Value) []byte {
		if v.Untyped {
			return append(dst, v.Text...)
		}
		return write(dst, v)
	}
}

func writer(c *table.Column) func(dst []byte, v *value.Value) []byte {
	switch c.Type.Kind {
	case table.SmallInt, table.Integer, table.BigInt:
		number := numberWriter(c)
		return func(dst []byte, v *value.Value) []byte {
			v.Scale = 0
			return number(dst, v)
		}
	case table.Decimal:
		return numberWriter(c)
	case table.Double:
		return func(dst []byte, v *value.Value) []byte { return withSign(c, appendFloat(dst, v.Float), len(dst)) }
	case table.Boolean:
		return booleanWriter(c)
	case table.Date, table.Time, table.Timestamp, table.TimestampTZ:
		return momentWriter(c)
	}
	return wordWriter(c)
}

// numberWriter writes a number with the signs of its column.
func numberWriter(c *table.Column) func(dst []byte, v *value.Value) []byte {
	return func(dst []byte, v *value.Value) []byte {
		start := len(dst)
		w := *v
		if c.Percent { // a fraction: the source has it times 100
			w.Scale = max(0, v.Scale-2)
		}
		dst = w.AppendDecimal(dst)
		if c.Percent && v.Scale < 2 && !bytes.Equal(dst[start:], []byte("0")) {
			dst = append(dst, "00"[v.Scale:]...)
		}
		if c.Thousands != "" {
			dst = grouped(dst, start, c.Thousands)
		}
		dst = withSign(c, dst, start)
		if c.Percent {
			dst = append(dst, '%')
		}
		return dst
	}
}

// withSign gives the number after start the decimal sign of its column.
func withSign(c *table.Column, dst []byte, start int) []byte {
	if c.Decimal == "" || c.Decimal == "." {
		return dst
	}
	at := bytes.LastIndexByte(dst[start:], '.')
	if at >= 0 {
		dst[start+at] = c.Decimal[0]
	}
	return dst
}

// grouped sets a sign between groups of three digits before the point.
func grouped(dst []byte, start int, sign string) []byte {
	number := string(dst[start:])
	digits := strings.TrimPrefix(number, "-")
	whole, _, _ := strings.Cut(digits, ".")
	dst = append(dst[:start], number[:len(number)-len(digits)]...)
	for i := range len(whole) {
		if i > 0 && (len(whole)-i)%3 == 0 {
			dst = append(dst, sign...)
		}
		dst = append(dst, whole[i])
	}
	return append(dst, digits[len(whole):]...)
}

// appendFloat writes a double so that reading it gives the same one, without an
// exponent where it is not long.
func appendFloat(dst []byte, f float64) []byte {
	size := math.Abs(f)
	switch {
	case math.IsInf(f, 1):
		return append(dst, "Infinity"...)
	case math.IsInf(f, -1):
		return append(dst, "-Infinity"...)
	}
	if size == 0 || size >= 1e-5 && size < 1e15 {
		return strconv.AppendFloat(dst, f, 'f', -1, 64)
	}
	return strconv.AppendFloat(dst, f, 'e', -1, 64)
}

func booleanWriter(c *table.Column) func(dst []byte, v *value.Value) []byte {
	words := [2]string{"false", "true"}
	for i, list := range [][]string{c.FalseWords, c.TrueWords} {
		if len(list) > 0 {
			words[i] = list[0]
		}
	}
	return func(dst []byte, v *value.Value) []byte { return append(dst, words[v.Int]...) }
}

const microsPerDay = 86400 * 1_000_000

// momentWriter writes a date or time in the format of its column, or as ISO 8601. With a zone it writes
// the local time there.
func momentWriter(c *table.Column) func(dst []byte, v *value.Value) []byte {
	kind := c.Type.Kind
	if kind == table.TimestampTZ && c.Zone != "" {
		return localWriter(c)
	}
	if c.Format == "" {
		return func(dst []byte, v *value.Value) []byte {
			switch kind {
			case table.Date:
				return value.AppendDate(dst, v.Int)
			case table.Time:
				return value.AppendClock(dst, v.Int)
			case table.TimestampTZ:
				return append(value.AppendTimestamp(dst, v.Int), "+00:00"...)
			}
			return value.AppendTimestamp(dst, v.Int)
		}
	}
	pattern := value.NewPattern(c.Format)
	if kind == table.Date {
		return func(dst []byte, v *value.Value) []byte { return pattern.Append(dst, v.Int*microsPerDay) }
	}
	short, unit := pattern, int64(1)
	if c.Type.Fraction() > 0 {
		short = value.NewPattern(strings.Replace(c.Format, "SSSSSS", strings.Repeat("S", c.Type.Fraction()), 1))
		unit = int64(math.Pow10(table.Micros - c.Type.Fraction()))
	}
	return func(dst []byte, v *value.Value) []byte {
		if v.Int%unit != 0 { // the table keeps more digits than the plan
			return pattern.Append(dst, v.Int)
		}
		return short.Append(dst, v.Int)
	}
}

// localWriter writes a moment as the local time in the zone of its column.
func localWriter(c *table.Column) func(dst []byte, v *value.Value) []byte {
	local := *c
	local.Type.Kind, local.Zone = table.Timestamp, ""
	write := momentWriter(&local)
	zone, err := value.ParseZone(c.Zone)
	if err != nil { // which the tray has excluded
		return write
	}
	return func(dst []byte, v *value.Value) []byte {
		v.Int = zone.Local(v.Int)
		return write(dst, v)
	}
}

// wordWriter writes text; of words that stand for others, those.
func wordWriter(c *table.Column) func(dst []byte, v *value.Value) []byte {
	words := map[string]string{}
	for word, stands := range c.Words {
		_, twice := words[stands]
		if twice {
			words = nil
			break
		}
		words[stands] = word
	}
	return func(dst []byte, v *value.Value) []byte {
		word, ok := words[string(v.Text)]
		if ok {
			return append(dst, word...)
		}
		return append(dst, v.Text...)
	}
}
