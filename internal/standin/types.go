package standin

import (
	"encoding/hex"
	"fmt"
	"math"
	"math/big"
	"regexp"
	"strconv"
	"strings"
	"time"
	"unicode/utf16"
	"unicode/utf8"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

// Type is a type of the server, with its size always stated.
type Type = tds.Type

// declared returns a type with what a definition leaves out.
func declared(t tsql.Type) (Type, error) {
	d := Type(t)
	d.Sized = false
	switch d.Name {
	case "numeric", "dec":
		d.Name = "decimal"
	case "integer":
		d.Name = "int"
	case "sysname":
		d = Type{Name: "nvarchar", Size: 128, Collate: t.Collate}
	case "float":
		if d.Size > 0 && d.Size <= 24 {
			d.Name = "real"
		}
		d.Size = 0
	case "money", "smallmoney":
		d.Scale = 4
	case "text", "ntext":
		return d, &tds.Error{Number: 50001, Severity: 16, Message: "The stand-in does not keep columns of type " + d.Name + "."}
	}
	switch {
	case d.Name == "decimal" && d.Size == 0:
		d.Size = 18
	case d.Name == "decimal" && (d.Size > 38 || d.Scale > d.Size):
		return d, &tds.Error{Number: 2750, Severity: 16, Message: fmt.Sprintf("Column, parameter, or variable: Specified column precision %d is greater than the maximum precision of 38.", d.Size)}
	case d.Name == "datetime2", d.Name == "time", d.Name == "datetimeoffset":
		d.Scale, d.Size = 7, 0
		if t.Sized {
			d.Scale = t.Size
		}
	case (d.Textual() || strings.HasSuffix(d.Name, "binary")) && d.Size == 0 && !d.Max:
		d.Size = 1
	}
	limit := longestOf(d)
	if d.Size > limit {
		return d, &tds.Error{Number: 131, Severity: 15, Message: fmt.Sprintf("The size (%d) given to the type '%s' exceeds the maximum allowed (%d).", d.Size, d.Name, limit)}
	}
	return d, nil
}

func longestOf(t Type) int {
	if t.National() {
		return 4000
	}
	return 8000
}

// typeText returns the type as a definition writes it.
func typeText(t Type) string {
	switch {
	case t.Max:
		return t.Name + "(max)"
	case t.Name == "decimal":
		return fmt.Sprintf("decimal(%d,%d)", t.Size, t.Scale)
	case t.Name == "datetime2" || t.Name == "time" || t.Name == "datetimeoffset":
		return fmt.Sprintf("%s(%d)", t.Name, t.Scale)
	case t.Size > 0:
		return fmt.Sprintf("%s(%d)", t.Name, t.Size)
	}
	return t.Name
}

// maxLength is the length of a type in bytes, as sys.columns states it.
func maxLength(t Type) int64 {
	switch {
	case t.Max:
		return -1
	case t.National():
		return int64(2 * t.Size)
	case t.Size > 0 && t.Name != "decimal":
		return int64(t.Size)
	}
	return map[string]int64{"tinyint": 1, "smallint": 2, "int": 4, "bigint": 8, "bit": 1, "decimal": 9, "float": 8, "real": 4, "date": 3, "time": 5,
		"datetime2": 8, "datetimeoffset": 10, "datetime": 8, "smalldatetime": 4, "uniqueidentifier": 16, "money": 8, "smallmoney": 4}[t.Name]
}

func timed(t Type) bool {
	return t.Name == "datetime2" || t.Name == "datetimeoffset" || t.Name == "datetime" || t.Name == "smalldatetime"
}

func numeric(t Type) bool {
	return money(t) || t.Whole() || t.Name == "bit" || t.Name == "decimal" || t.Name == "float" || t.Name == "real"
}

func money(t Type) bool { return t.Name == "money" || t.Name == "smallmoney" }

// plain returns the decimal that money is kept as.
func plain(t Type) Type {
	switch t.Name {
	case "money":
		return Type{Name: "decimal", Size: 18, Scale: 4}
	case "smallmoney":
		return Type{Name: "decimal", Size: 10, Scale: 4}
	}
	return t
}

func bytesType(t Type) bool { return strings.HasSuffix(t.Name, "binary") }

// columnType is how SQLite declares a column.
func columnType(t Type) string {
	switch {
	case t.Wide():
		return "TEXT"
	case t.Textual() && strings.Contains(strings.ToUpper(t.Collate), "_BIN"):
		return "TEXT"
	case t.Textual():
		return "TEXT COLLATE ci"
	case t.Name == "uniqueidentifier":
		return "TEXT"
	case t.Name == "float" || t.Name == "real":
		return "REAL"
	case bytesType(t):
		return "BLOB"
	}
	return "INTEGER"
}

// binder returns the function that gives parameters of a type their values.
func binder(t Type) func(s *sqlite.Stmt, i int, v *tds.Value) {
	var bind func(s *sqlite.Stmt, i int, v *tds.Value)
	switch {
	case t.Textual(), t.Wide(), t.Name == "uniqueidentifier":
		bind = func(s *sqlite.Stmt, i int, v *tds.Value) { s.BindText(i, string(v.Text)) }
	case bytesType(t):
		bind = func(s *sqlite.Stmt, i int, v *tds.Value) { s.BindBytes(i, v.Text) }
	case t.Name == "float" || t.Name == "real":
		bind = func(s *sqlite.Stmt, i int, v *tds.Value) { s.BindFloat(i, v.Float) }
	default:
		bind = func(s *sqlite.Stmt, i int, v *tds.Value) { s.BindInt64(i, v.Int) }
	}
	return func(s *sqlite.Stmt, i int, v *tds.Value) {
		if v.Null {
			s.BindNull(i)
			return
		}
		bind(s, i, v)
	}
}

// column reads a column of a result.
func column(s *sqlite.Stmt, i int, t Type) (v tds.Value) {
	columnReader(t)(s, i, &v)
	return v
}

// columnReader returns the function that reads columns of a type. A text is valid until
// it is called again.
func columnReader(t Type) func(s *sqlite.Stmt, i int, v *tds.Value) {
	switch {
	case t.Textual(), t.Wide(), t.Name == "uniqueidentifier", bytesType(t):
		var buffer []byte
		return func(s *sqlite.Stmt, i int, v *tds.Value) {
			n := s.ColumnLen(i)
			if n == 0 && s.ColumnType(i) == sqlite.TypeNull {
				v.Null = true
				return
			}
			if n > len(buffer) {
				buffer = make([]byte, 2*n)
			}
			v.Null, v.Text = false, buffer[:s.ColumnBytes(i, buffer[:n])]
		}
	case t.Name == "float" || t.Name == "real":
		return func(s *sqlite.Stmt, i int, v *tds.Value) {
			v.Null, v.Float = s.ColumnType(i) == sqlite.TypeNull, s.ColumnFloat(i)
		}
	}
	return func(s *sqlite.Stmt, i int, v *tds.Value) {
		v.Null, v.Int = s.ColumnType(i) == sqlite.TypeNull, s.ColumnInt64(i)
	}
}

// literal writes a value as SQLite does.
func literal(t Type, v tds.Value) string {
	switch {
	case v.Null:
		return "NULL"
	case t.Textual(), t.Wide(), t.Name == "uniqueidentifier":
		return "'" + strings.ReplaceAll(string(v.Text), "'", "''") + "'"
	case bytesType(t):
		return "x'" + hex.EncodeToString(v.Text) + "'"
	case t.Name == "float" || t.Name == "real":
		return strconv.FormatFloat(v.Float, 'e', -1, 64)
	}
	return strconv.FormatInt(v.Int, 10)
}

// kinds of failure of a conversion.
func overflow(t Type) error {
	return &tds.Error{Number: 8115, Severity: 16, State: 2, Message: "Arithmetic overflow error converting expression to data type " + t.Name + "."}
}

func inconvertible(from, to Type, v tds.Value) error {
	if timed(to) || to.Name == "date" || to.Name == "time" {
		return &tds.Error{Number: 241, Severity: 16, Message: "Conversion failed when converting date and/or time from character string."}
	}
	if to.Name == "uniqueidentifier" {
		return &tds.Error{Number: 8169, Severity: 16, Message: "Conversion failed when converting from a character string to uniqueidentifier."}
	}
	return &tds.Error{Number: 245, Severity: 16, Message: fmt.Sprintf("Conversion failed when converting the %s value '%s' to data type %s.", from.Name, asText(from, v), to.Name)}
}

// clash says that a type never becomes another.
func clash(from, to Type) error {
	return &tds.Error{Number: 206, Severity: 16, State: 2, Message: fmt.Sprintf("Operand type clash: %s is incompatible with %s", from.Name, to.Name)}
}

// errTruncated is returned for a text that is too long.
var errTruncated = &tds.Error{Number: 8152, Severity: 16, State: 14, Message: "String or binary data would be truncated."}

// convert returns a value of one type as another. cut says that a text that is too long
// is cut, as a cast does.
func convert(v tds.Value, from, to Type, cut bool) (tds.Value, error) {
	if v.Null || from == to && !to.Textual() {
		return v, nil
	}
	from, to = plain(from), plain(to)
	switch {
	case to.Textual():
		return toText(v, from, to, cut)
	case bytesType(to):
		return toBytes(v, from, to, cut)
	case from.Textual():
		return fromText(v, from, to)
	case numeric(to) && numeric(from):
		return toNumber(v, from, to)
	case timed(to) && timed(from), to.Name == "time" && from.Name == "time":
		v.Int = roundTicks(v.Int, to)
		return v, nil
	case timed(to) && from.Name == "date":
		v.Int *= ticksPerDay
		return v, nil
	case to.Name == "date" && timed(from):
		v.Int /= ticksPerDay
		return v, nil
	case to.Name == "time" && timed(from):
		v.Int = roundTicks(v.Int%ticksPerDay, to)
		return v, nil
	}
	return v, clash(from, to)
}

const ticksPerDay = 86_400 * 10_000_000

// roundTicks rounds to the digits of a second that a type has.
func roundTicks(n int64, t Type) int64 {
	step := int64(1)
	switch t.Name {
	case "datetime":
		return n - n%10_000_000 + (n%10_000_000*300+5_000_000)/10_000_000*10_000_000/300
	case "smalldatetime":
		step = 60 * 10_000_000
	default:
		for range 7 - t.Scale {
			step *= 10
		}
	}
	return (n + step/2) / step * step
}

func toText(v tds.Value, from, to Type, cut bool) (tds.Value, error) {
	text := asText(from, v)
	length := textLength(to, text)
	limit := to.Size
	if to.Max {
		limit = math.MaxInt32
	}
	if length > limit {
		if !cut && strings.TrimRight(cutText(to, text, limit, true), " ") != "" {
			return v, errTruncated
		}
		text = cutText(to, text, limit, false)
	}
	if to.Fixed() {
		text += strings.Repeat(" ", max(limit-textLength(to, text), 0))
	}
	return tds.Value{Text: []byte(text)}, nil
}

// textLength counts as a type does: pairs of bytes or, in the code page, characters.
func textLength(t Type, text string) int {
	if t.National() {
		return len(utf16.Encode([]rune(text)))
	}
	return utf8.RuneCountInString(text)
}

// cutText returns what of a text is within a length, or what is after it.
func cutText(t Type, text string, limit int, rest bool) string {
	n := 0
	for at, r := range text {
		if t.National() && r > 0xffff {
			n++
		}
		n++
		if n > limit {
			if rest {
				return text[at:]
			}
			return text[:at]
		}
	}
	if rest {
		return ""
	}
	return text
}

func toBytes(v tds.Value, from, to Type, cut bool) (tds.Value, error) {
	switch {
	case bytesType(from):
	case from.National():
		v.Text = tds.UCS2(string(v.Text))
	case from.Textual():
	default:
		return v, clash(from, to)
	}
	if !to.Max && len(v.Text) > to.Size {
		if !cut {
			return v, errTruncated
		}
		v.Text = v.Text[:to.Size]
	}
	return v, nil
}

func toNumber(v tds.Value, from, to Type) (tds.Value, error) {
	r := new(big.Rat)
	switch {
	case from.Wide():
		r.SetString(string(v.Text))
	case from.Name == "decimal":
		r.SetFrac(big.NewInt(v.Int), tenTo(from.Scale))
	case from.Name == "float" || from.Name == "real":
		if r.SetFloat64(v.Float) == nil {
			return v, overflow(to)
		}
	default:
		r.SetInt64(v.Int)
	}
	return fromRat(r, to)
}

func tenTo(n int) *big.Int { return new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(n)), nil) }

var intLimits = map[string][2]int64{
	"tinyint": {0, 255}, "smallint": {math.MinInt16, math.MaxInt16}, "int": {math.MinInt32, math.MaxInt32}, "bigint": {math.MinInt64, math.MaxInt64},
}

// fromRat returns a number as a type; decimals are rounded, whole numbers cut off.
func fromRat(r *big.Rat, to Type) (v tds.Value, err error) {
	switch {
	case to.Name == "bit":
		if r.Sign() != 0 {
			v.Int = 1
		}
		return v, nil
	case to.Name == "float" || to.Name == "real":
		v.Float, _ = r.Float64()
		if to.Name == "real" {
			v.Float = float64(float32(v.Float))
		}
		if math.IsInf(v.Float, 0) {
			return v, overflow(to)
		}
		return v, nil
	case to.Name == "decimal":
		text := r.FloatString(to.Scale)
		digits := strings.TrimLeft(strings.NewReplacer("-", "", ".", "").Replace(text), "0")
		if len(digits) > to.Size {
			return v, overflow(to)
		}
		if to.Wide() {
			return tds.Value{Text: []byte(text)}, nil
		}
		v.Int, err = strconv.ParseInt(strings.Replace(text, ".", "", 1), 10, 64)
		return v, err
	}
	n := new(big.Int).Quo(r.Num(), r.Denom())
	limits := intLimits[to.Name]
	if !n.IsInt64() || n.Int64() < limits[0] || n.Int64() > limits[1] {
		return v, overflow(to)
	}
	return tds.Value{Int: n.Int64()}, nil
}

var guidForm = regexp.MustCompile(`^\{?([0-9A-Fa-f]{8}-(?:[0-9A-Fa-f]{4}-){3}[0-9A-Fa-f]{12})\}?$`)

func fromText(v tds.Value, from, to Type) (tds.Value, error) {
	text := strings.TrimSpace(string(v.Text))
	switch {
	case numeric(to):
		if to.Name == "bit" && (strings.EqualFold(text, "true") || strings.EqualFold(text, "false")) {
			return tds.Value{Int: int64(5 - len(text))}, nil
		}
		r, ok := new(big.Rat).SetString(text)
		whole := to.Whole() && strings.ContainsAny(text, ".eE")
		if text == "" && to.Name != "decimal" {
			return tds.Value{}, nil
		}
		if !ok || whole || strings.Contains(text, "/") {
			return v, inconvertible(from, to, v)
		}
		return fromRat(r, to)
	case to.Name == "uniqueidentifier":
		m := guidForm.FindStringSubmatch(text)
		if m == nil {
			return v, inconvertible(from, to, v)
		}
		return tds.Value{Text: []byte(strings.ToUpper(m[1]))}, nil
	}
	for _, layout := range timeLayouts {
		when, err := time.Parse(layout, text)
		if err != nil {
			continue
		}
		return fromTime(when, strings.HasPrefix(layout, "15"), to)
	}
	return v, inconvertible(from, to, v)
}

var timeLayouts = []string{"2006-01-02", "20060102", "2006-01-02T15:04:05", "2006-01-02 15:04:05", "2006-01-02 15:04:05Z07:00", "2006-01-02T15:04:05Z07:00", "2006-01-02 15:04", "15:04:05", "15:04"}

// yearOne is the day from which dates count.
var yearOne = time.Date(1, 1, 1, 0, 0, 0, 0, time.UTC)

func fromTime(when time.Time, clockOnly bool, to Type) (tds.Value, error) {
	when = when.UTC()
	days := (when.Unix() - yearOne.Unix()) / 86_400
	clock := int64((when.Hour()*60+when.Minute())*60+when.Second())*10_000_000 + int64(when.Nanosecond()/100)
	switch {
	case to.Name == "time":
		return tds.Value{Int: roundTicks(clock, to)}, nil
	case clockOnly:
		days = 693_595 // 1900-01-01
	case to.Name == "date":
		return tds.Value{Int: days}, nil
	}
	return tds.Value{Int: roundTicks(days*ticksPerDay+clock, to)}, nil
}

// asText writes a value as a cast to a text does.
func asText(t Type, v tds.Value) string {
	t = plain(t)
	switch {
	case t.Textual(), t.Wide(), t.Name == "uniqueidentifier":
		return string(v.Text)
	case bytesType(t):
		return strings.ToUpper(hex.EncodeToString(v.Text))
	case t.Name == "decimal":
		return new(big.Rat).SetFrac(big.NewInt(v.Int), tenTo(t.Scale)).FloatString(t.Scale)
	case t.Name == "float" || t.Name == "real":
		return strconv.FormatFloat(v.Float, 'g', -1, 64)
	case t.Name == "date":
		return atTicks(v.Int * ticksPerDay).Format("2006-01-02")
	case t.Name == "time":
		return atTicks(v.Int).Format("15:04:05" + fraction(t.Scale))
	case t.Name == "datetimeoffset":
		return atTicks(v.Int).Format("2006-01-02 15:04:05"+fraction(t.Scale)) + " +00:00"
	case timed(t):
		return atTicks(v.Int).Format("2006-01-02 15:04:05" + fraction(t.Scale))
	}
	return strconv.FormatInt(v.Int, 10)
}

func fraction(scale int) string {
	if scale == 0 {
		return ""
	}
	return "." + strings.Repeat("0", scale)
}

func atTicks(n int64) time.Time {
	return time.Unix(yearOne.Unix()+n/10_000_000, n%10_000_000*100).UTC()
}
