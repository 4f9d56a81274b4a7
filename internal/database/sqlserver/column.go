package sqlserver

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"strconv"

	"ambertray/internal/codepage"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// liveColumn is a column of a table as the catalog has it.
type liveColumn struct {
	name      string
	typ       string // the server's name of its type, without a size
	native    string // with it
	length    int    // in bytes, -1 for (max)
	precision int
	scale     int
	collation string
	page      int // of its texts
	nullable  bool
	identity  bool
	computed  bool
	hasValue  bool // where an INSERT leaves it out
}

// columns returns the columns of a table.
func (t *Target) columns(ctx context.Context, name string) (list []liveColumn, err error) {
	rows, err := t.Query(ctx, `SELECT c.name, ty.name, c.max_length, c.precision, c.scale, coalesce(c.collation_name, ''),
		coalesce(CAST(COLLATIONPROPERTY(c.collation_name, 'CodePage') AS int), 0), c.is_nullable, c.is_identity, c.is_computed, c.default_object_id
		FROM sys.columns c JOIN sys.types ty ON ty.user_type_id = c.system_type_id AND ty.system_type_id = c.system_type_id
		WHERE c.object_id = `+t.id(name)+` ORDER BY c.column_id`)
	if err != nil {
		return nil, err
	}
	for _, row := range rows {
		c := liveColumn{name: row[0], typ: row[1], collation: row[5], nullable: row[7] == "1", identity: row[8] == "1", computed: row[9] == "1" || row[1] == "timestamp"}
		for i, field := range map[int]*int{2: &c.length, 3: &c.precision, 4: &c.scale, 6: &c.page} {
			*field, err = strconv.Atoi(row[i])
			if err != nil {
				return nil, err
			}
		}
		c.hasValue = c.identity || row[10] != "0"
		c.native = c.declaration()
		list = append(list, c)
	}
	return list, nil
}

// declaration is the type as a definition writes it.
func (c *liveColumn) declaration() string {
	switch c.typ {
	case "char", "varchar", "binary", "varbinary":
		if c.length < 0 {
			return c.typ + "(max)"
		}
		return fmt.Sprintf("%s(%d)", c.typ, c.length)
	case "nchar", "nvarchar":
		if c.length < 0 {
			return c.typ + "(max)"
		}
		return fmt.Sprintf("%s(%d)", c.typ, c.length/2)
	case "decimal", "numeric":
		return fmt.Sprintf("%s(%d,%d)", c.typ, c.precision, c.scale)
	case "time", "datetime2", "datetimeoffset":
		return fmt.Sprintf("%s(%d)", c.typ, c.scale)
	}
	return c.typ
}

// Columns implements database.Inspector.
func (t *Target) Columns(ctx context.Context, name string) (list []database.ColumnInfo, err error) {
	live, err := t.columns(ctx, name)
	for i := range live {
		c := &live[i]
		info := database.ColumnInfo{Name: c.name, Native: c.native, Nullable: c.nullable, Default: c.hasValue, Generated: c.computed}
		info.Type, info.Limit, info.Known = c.planned()
		info.Own = info.Known && info.Type.IsBytes()
		list = append(list, info)
	}
	return list, err
}

// kinds are the types that values can be written to.
var kinds = map[string]table.Kind{
	"tinyint": table.SmallInt, "smallint": table.SmallInt, "int": table.Integer, "bigint": table.BigInt, "decimal": table.Decimal, "numeric": table.Decimal, "money": table.Decimal, "smallmoney": table.Decimal,
	"float": table.Double, "real": table.Double, "bit": table.Boolean, "date": table.Date, "time": table.Time, "datetime2": table.Timestamp,
	"datetime": table.Timestamp, "smalldatetime": table.Timestamp, "datetimeoffset": table.TimestampTZ, "uniqueidentifier": table.UUID,
	"char": table.Char, "nchar": table.Char, "varchar": table.Varchar, "nvarchar": table.Varchar,
}

// The first and last moments of the older types.
var (
	firstDatetime      = micros("1753-01-01 00:00:00")
	lastDatetime       = micros("9999-12-31 23:59:59.990000")
	firstSmallDatetime = micros("1900-01-01 00:00:00")
	lastSmallDatetime  = micros("2079-06-06 23:59:00")
)

func micros(text string) int64 {
	var v value.Value
	v.ReadTimestamp([]byte(text))
	return v.Int
}

// moneyScale is how many decimals money has.
const moneyScale = 4

const microsPerMinute = 60_000_000

// planned returns the type that values are written as, and what the column takes of
// them.
func (c *liveColumn) planned() (*table.Type, *table.Limit, bool) {
	switch {
	case c.typ == "binary": // it fills shorter values with zeros
		return database.BytesOf(c.native, c.length, c.length)
	case c.typ == "varbinary" && c.length < 0:
		return database.BytesOf(c.native, 0, maxPiece)
	case c.typ == "varbinary":
		return database.BytesOf(c.native, 0, c.length)
	}
	kind, known := kinds[c.typ]
	if !known {
		return nil, nil, false
	}
	t := table.Type{Kind: kind}
	all := table.WholeRange(c.native)
	switch c.typ {
	case "tinyint":
		all.Least, all.Greatest = 0, math.MaxUint8
		return &t, all, true
	case "real":
		t.Size = table.Single
	case "money": // which takes a little more than 18 digits hold
		t.Size, t.Scale = 18, moneyScale
	case "smallmoney":
		t.Size, t.Scale = 10, moneyScale
		all.Least, all.Greatest = math.MinInt32, math.MaxInt32
		return &t, all, true
	case "decimal", "numeric":
		t.Size, t.Scale = c.precision, c.scale
	case "time", "datetime2", "datetimeoffset":
		t = t.WithFraction(c.scale)
	case "datetime": // in units of 1/300 s; every third is a whole hundredth
		t = t.WithFraction(2)
		all.Least, all.Greatest = firstDatetime, lastDatetime
		return &t, all, true
	case "smalldatetime":
		all.Step, all.Least, all.Greatest = microsPerMinute, firstSmallDatetime, lastSmallDatetime
		return &t, all, true
	case "char", "varchar", "nchar", "nvarchar":
		return c.plannedText(t)
	}
	return &t, nil, true
}

// plannedText is planned of a text.
func (c *liveColumn) plannedText(t table.Type) (*table.Type, *table.Limit, bool) {
	units := c.length
	if c.typ[0] == 'n' {
		units /= 2
	}
	t.Size = units
	if c.length < 0 {
		t = table.Type{Kind: table.Text}
	}
	size := units
	if c.length < 0 {
		size = 0
	}
	if c.typ[0] == 'n' {
		return &t, dialect.NationalLimit(c.native, size), true
	}
	page := codepage.ByNumber(c.page)
	if page == nil {
		return nil, nil, false
	}
	return &t, dialect.PageLimit(c.native, size, page), true
}

// sizeOf is how many bytes the value of a column takes that data begins with.
func sizeOf(c *wireColumn, data []byte) int {
	n := fixed[c.code]
	switch {
	case n > 0:
		return n
	case c.long() && len(data) >= 12:
		n := binary.LittleEndian.Uint64(data)
		if n == math.MaxUint64 {
			return 8
		}
		if n == 0 {
			return 12
		}
		return 16 + int(n) // in one piece
	case c.long():
		return 8
	case c.code >= typeVarBin:
		n := int(binary.LittleEndian.Uint16(data))
		if n == longSize {
			n = 0
		}
		return 2 + n
	}
	return 1 + int(data[0])
}
