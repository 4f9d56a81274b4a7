package postgres

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgtype"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Rows implements database.Target, over the binary form of COPY.
func (t *Target) Rows(ctx context.Context, tab *table.Table, each database.EachRow) error {
	return t.rows(ctx, tab, dialect.PostgreSQL.QuoteTable(tab.Name), each)
}

// rows reads the loaded columns of a table from what stands after FROM. A column whose type has changed
// since the load is read as text, unless its values are of the same sort.
func (t *Target) rows(ctx context.Context, tab *table.Table, from string, each database.EachRow) error {
	cols := tab.Loaded()
	terms := make([]string, len(cols))
	for i, c := range cols {
		terms[i] = dialect.PostgreSQL.Quote(c.Name)
	}
	described, err := t.conn.Prepare(ctx, "", "SELECT "+strings.Join(terms, ", ")+" FROM "+from)
	if err != nil {
		return t.fail("read "+tab.Name, err)
	}
	r := &rowReader{each: each, row: make([]value.Value, len(cols))}
	for i, c := range cols {
		cast, read := readAs(c.Type, described.Fields[i].DataTypeOID)
		terms[i] += cast
		r.readers = append(r.readers, read)
	}
	_, err = t.conn.PgConn().CopyTo(ctx, r, fmt.Sprintf("COPY (SELECT %s FROM %s) TO STDOUT (FORMAT binary)", strings.Join(terms, ", "), from))
	if r.err != nil {
		return r.err
	}
	if err == nil && !r.ended {
		err = errCut
	}
	return t.fail("read "+tab.Name, err)
}

// readAs returns the cast and the reader for values of a type in a column whose type on the server has
// the OID. The two types differ if somebody has changed the column.
func readAs(t table.Type, oid uint32) (cast string, read reader) {
	switch {
	case t.Textual():
		return "::text", readerOf(t)
	case slices.Contains(oids[t.Kind], oid):
		return "", readerOf(t)
	case t.Kind == table.Decimal && slices.Contains(whole, oid):
		return "::numeric", readerOf(t)
	case t.Whole() && oid == pgtype.NumericOID:
		return "", func(data []byte, v *value.Value) { readNumeric(data, 0, v) }
	}
	return "::text", readUntyped
}

// oids are those of the types whose values the reader of a kind reads.
var oids = map[table.Kind][]uint32{
	table.SmallInt: whole, table.Integer: whole, table.BigInt: whole, table.Double: {pgtype.Float4OID, pgtype.Float8OID},
	table.Decimal: {pgtype.NumericOID}, table.Boolean: {pgtype.BoolOID}, table.Date: {pgtype.DateOID}, table.Time: {pgtype.TimeOID},
	table.Timestamp: {pgtype.TimestampOID}, table.TimestampTZ: {pgtype.TimestamptzOID}, table.UUID: {pgtype.UUIDOID},
}

var whole = []uint32{pgtype.Int2OID, pgtype.Int4OID, pgtype.Int8OID}

func readUntyped(data []byte, v *value.Value) { v.SetUntyped(data) }

var errCut = errors.New("the server's answer is cut off")

// rowReader takes the binary form of COPY apart into rows. It gets it in pieces,
// as a rule one a row.
type rowReader struct {
	readers []reader
	row     []value.Value
	each    database.EachRow
	rest    []byte // of a row that is not whole yet
	begun   bool
	ended   bool
	err     error // of each
}

// Write implements io.Writer.
func (r *rowReader) Write(data []byte) (int, error) {
	n := len(data)
	if r.err != nil { // the rest is read away, as the connection would end otherwise
		return n, nil
	}
	if len(r.rest) > 0 {
		r.rest = append(r.rest, data...)
		data = r.rest
	}
	if !r.begun && len(data) >= len(header) {
		r.begun, data = true, data[len(header):]
	}
	for r.begun && len(data) > 0 {
		used, err := r.next(data)
		if err != nil {
			r.err = err
			return n, nil
		}
		if used == 0 {
			break
		}
		data = data[used:]
	}
	r.rest = append(r.rest[:0], data...)
	return n, nil
}

// next hands on the row that data begins with, and returns how many bytes it has, 0
// where it is not whole.
func (r *rowReader) next(data []byte) (used int, err error) {
	if len(data) < 2 {
		return 0, nil
	}
	if int16(binary.BigEndian.Uint16(data)) < 0 {
		r.ended = true
		return len(trailer), nil
	}
	at := 2
	for i, read := range r.readers {
		if len(data) < at+4 {
			return 0, nil
		}
		size := int32(binary.BigEndian.Uint32(data[at:]))
		at += 4
		v := &r.row[i]
		v.Null = size < 0
		if v.Null {
			continue
		}
		if len(data) < at+int(size) {
			return 0, nil
		}
		v.Untyped = false
		read(data[at:at+int(size)], v)
		at += int(size)
	}
	return at, r.each(r.row)
}

// reader sets v to a value in its binary form.
type reader func(data []byte, v *value.Value)

func readerOf(t table.Type) reader {
	switch t.Kind {
	case table.Double:
		return func(data []byte, v *value.Value) {
			if len(data) == 4 {
				v.Float = float64(math.Float32frombits(binary.BigEndian.Uint32(data)))
			} else {
				v.Float = math.Float64frombits(binary.BigEndian.Uint64(data))
			}
		}
	case table.Boolean:
		return func(data []byte, v *value.Value) { v.Int = int64(data[0]) }
	case table.Time:
		return readTime
	case table.SmallInt, table.Integer, table.BigInt:
		return func(data []byte, v *value.Value) { v.Int = readInt(data) }
	case table.Date:
		return readDate
	case table.Timestamp:
		return func(data []byte, v *value.Value) { readTimestamp(data, "", v) }
	case table.TimestampTZ:
		return func(data []byte, v *value.Value) { readTimestamp(data, "+00", v) }
	case table.Decimal:
		return func(data []byte, v *value.Value) { readNumeric(data, t.Scale, v) }
	case table.UUID:
		return readUUID
	}
	return func(data []byte, v *value.Value) { v.Text = data }
}

// The first and the last day whose year has four digits.
var (
	firstDay = time.Date(1, 1, 1, 0, 0, 0, 0, time.UTC).Unix() / secondsPerDay
	lastDay  = time.Date(9999, 12, 31, 0, 0, 0, 0, time.UTC).Unix() / secondsPerDay
)

const secondsPerDay = 24 * 60 * 60

func readDate(data []byte, v *value.Value) {
	days := readInt(data)
	v.Int = days + epochDays
	switch {
	case setInfinite(v, days, math.MinInt32, math.MaxInt32):
	case v.Int < firstDay || v.Int > lastDay:
		date, era := farDate(v.Int)
		v.SetUntyped([]byte(date + era))
	}
}

// readTime reads a time of day. Only this server has 24:00:00.
func readTime(data []byte, v *value.Value) {
	v.Int = readInt(data)
	if v.Int >= secondsPerDay*1e6 {
		v.SetUntyped(value.AppendClock(nil, v.Int))
	}
}

// readTimestamp reads a timestamp. offset is what its text ends with in this type of column.
func readTimestamp(data []byte, offset string, v *value.Value) {
	const perDay = secondsPerDay * 1e6
	micros := readInt(data)
	clock := (micros%perDay + perDay) % perDay
	days := (micros-clock)/perDay + epochDays
	v.Int = days*perDay + clock // overflows after the year 294246, where only the text is used
	switch {
	case setInfinite(v, micros, math.MinInt64, math.MaxInt64):
	case days < firstDay || days > lastDay:
		date, era := farDate(days)
		v.SetUntyped([]byte(date + " " + string(value.AppendClock(nil, clock)) + offset + era))
	}
}

// setInfinite sets v to an infinite moment, and reports whether n is one: the least or the
// greatest number of its size.
func setInfinite(v *value.Value, n, least, greatest int64) bool {
	switch n {
	case least:
		v.SetUntyped([]byte("-infinity"))
	case greatest:
		v.SetUntyped([]byte("infinity"))
	default:
		return false
	}
	return true
}

// farDate writes days since 1970-01-01 as the server writes dates before the year 1 and
// after 9999.
func farDate(days int64) (date, era string) {
	year, month, day := time.Unix(days*secondsPerDay, 0).UTC().Date()
	if year < 1 {
		year, era = 1-year, " BC"
	}
	return fmt.Sprintf("%04d-%02d-%02d", year, month, day), era
}

func readInt(data []byte) int64 {
	switch len(data) {
	case 2:
		return int64(int16(binary.BigEndian.Uint16(data)))
	case 4:
		return int64(int32(binary.BigEndian.Uint32(data)))
	}
	return int64(binary.BigEndian.Uint64(data))
}

func readUUID(data []byte, v *value.Value) {
	text := hex.AppendEncode(v.Buffer(), data[:4])
	for i := 4; i < 16; i += 2 {
		if i <= 10 {
			text = append(text, '-')
		}
		text = hex.AppendEncode(text, data[i:i+2])
	}
	v.Text = text
}

// readNumeric reads what appendNumeric writes.
func readNumeric(data []byte, scale int, v *value.Value) {
	groups, weight := int(binary.BigEndian.Uint16(data)), int(int16(binary.BigEndian.Uint16(data[2:])))
	sign := binary.BigEndian.Uint16(data[4:])
	v.Wide, v.Negative, v.Scale = false, sign == numericNegative, scale
	special, ok := specialNumerics[sign]
	if ok {
		v.SetUntyped([]byte(special))
		return
	}
	n, power := int64(0), 4*(weight-groups+1)+scale
	if groups == 0 {
		power = 0
	}
	if 4*groups+max(power, 0) > digitsOfInt {
		readWideNumeric(data[8:], power, v)
		return
	}
	for i := range groups {
		n = n*10000 + int64(binary.BigEndian.Uint16(data[8+2*i:]))
	}
	for range power {
		n *= 10
	}
	for range -power {
		if n%10 != 0 {
			readWideNumeric(data[8:], power, v)
			return
		}
		n /= 10
	}
	v.Int = n
	if v.Negative {
		v.Int = -n
	}
}

// readShown reads a number with as many decimals as it shows.
func readShown(data []byte, v *value.Value) {
	const shown = 6 // where their number is
	readNumeric(data, int(binary.BigEndian.Uint16(data[shown:])), v)
}

// specialNumerics maps the signs of numerics without digits to their texts.
var specialNumerics = map[uint16]string{0xc000: "NaN", 0xd000: "Infinity", 0xf000: "-Infinity"}

// digitsOfInt is how many digits an int64 has room for.
const digitsOfInt = 18

// readWideNumeric reads the digits of a number of any length, times a power of ten.
func readWideNumeric(groups []byte, power int, v *value.Value) {
	digits := []byte{}
	for i := 0; i < len(groups); i += 2 {
		digits = fmt.Appendf(digits, "%04d", binary.BigEndian.Uint16(groups[i:]))
	}
	for ; power > 0; power-- {
		digits = append(digits, '0')
	}
	for ; power < 0 && bytes.HasSuffix(digits, []byte{'0'}); power++ {
		digits = digits[:len(digits)-1]
	}
	v.SetDigits(digits)
	if power < 0 { // more decimals than the column ought to have
		v.Scale -= power
		v.SetUntyped(v.AppendDecimal(nil))
	}
}

// Count implements database.Target.
func (t *Target) Count(ctx context.Context, table string) (rows int64, err error) {
	err = t.conn.QueryRow(ctx, "SELECT count(*) FROM "+dialect.PostgreSQL.QuoteTable(table)).Scan(&rows)
	return rows, t.fail("count the rows of "+table, err)
}

// Snapshot implements database.Snapshotter.
func (t *Target) Snapshot(ctx context.Context) (func() error, error) {
	return database.SnapshotBy(ctx, t, "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY")
}
