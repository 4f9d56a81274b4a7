package dialect

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"ambertray/internal/codepage"
	"ambertray/internal/table"
)

// SQLServer is the dialect of Microsoft SQL Server, of a database whose code page is not
// known: a text is varchar where all of it is ASCII, and nvarchar otherwise.
var SQLServer = SQLServerIn(0)

// SQLServerIn returns the dialect for a database by the number of its code page: a text
// is varchar where the code page has all of its characters. A length counts the bytes of
// a varchar, and the pairs of bytes of an nvarchar.
func SQLServerIn(page int) *Dialect {
	text := sqlServerText{page: codepage.ByNumber(page)}
	return &Dialect{
		TablesQuery: "SELECT CASE WHEN s.name = SCHEMA_NAME() THEN t.name ELSE CONCAT(s.name, '.', t.name) END AS name FROM sys.tables t JOIN sys.schemas s ON s.schema_id = t.schema_id ORDER BY name",
		LockRows:    "SELECT TOP (1) 1 FROM %s WITH (TABLOCKX, HOLDLOCK)", transact: true, noRowValues: true,
		Name: "sqlserver", Title: "SQL Server", MaxName: 128, characters: true, MaxColumns: 1024, reserved: words(sqlServerWords), schemas: true, open: '[', close: ']',
		Stored: asItIs, comments: commentProperties,
		scriptHead: []string{"SET XACT_ABORT ON", "BEGIN TRANSACTION"}, scriptTail: []string{"COMMIT TRANSACTION"},
		key:      func(t table.Type) bool { return t.Kind != table.Text && text.bytes(t) <= sqlServerMaxKey },
		limits:   text.limits,
		Limit:    text.limit,
		literals: literals{truth: [2]string{"0", "1"}, national: "N", middle: "T", breaks: breaks{char: "NCHAR", concat: " + ", collate: " COLLATE Latin1_General_BIN2", variable: "$("}},
		TypeName: text.typeName,
	}
}

// The limits of SQL Server: of a text, in characters of a varchar and of an nvarchar; of a
// key, in bytes; and of the columns of fixed length that a row has. Texts of variable
// length may lie outside of the row.
const (
	sqlServerMaxVarchar  = 8000
	sqlServerMaxNational = 4000
	sqlServerMaxKey      = 900
	sqlServerMaxRow      = 8060
)

// sqlServerText knows the types of texts in a database.
type sqlServerText struct {
	page *codepage.Page // nil for one that is not known
}

const windows1252 = 1252

// national reports whether a text is nvarchar.
func (s sqlServerText) national(t table.Type) bool {
	switch t.Characters {
	case table.ASCII:
		return false
	case table.Latin1:
		return s.page == nil || s.page.Number != windows1252
	}
	return true
}

func (s sqlServerText) typeName(t table.Type) string {
	switch t.Kind {
	case table.Integer:
		return "int"
	case table.Double:
		return "float(53)"
	case table.Boolean:
		return "bit"
	case table.Time:
		return fmt.Sprintf("time(%d)", t.Fraction())
	case table.Timestamp:
		return fmt.Sprintf("datetime2(%d)", t.Fraction())
	case table.TimestampTZ:
		return fmt.Sprintf("datetimeoffset(%d)", t.Fraction())
	case table.UUID:
		return "uniqueidentifier"
	case table.Char, table.Varchar, table.Text:
		return s.textName(t)
	}
	return t.String()
}

func (s sqlServerText) textName(t table.Type) string {
	prefix, longest := "", sqlServerMaxVarchar
	if s.national(t) {
		prefix, longest = "n", sqlServerMaxNational
	}
	if t.Kind == table.Text || t.Size > longest {
		return prefix + "varchar(max)"
	}
	return prefix + t.String()
}

// limits says what of a table is too long.
func (s sqlServerText) limits(t *table.Table) error {
	row, key := 0, 0
	for _, c := range t.Loaded() {
		bytes := s.bytes(c.Type)
		if c.Type.Kind != table.Varchar && c.Type.Kind != table.Text {
			row += bytes
		}
		if slices.Contains(t.Key, c.Name) {
			key += bytes
		}
	}
	switch {
	case key > sqlServerMaxKey:
		return fmt.Errorf("the key %s of table %s has %d bytes; SQL Server takes %d: give its texts shorter types, or take one out of the key", strings.Join(t.Key, ", "), t.Name, key, sqlServerMaxKey)
	case row > sqlServerMaxRow:
		return fmt.Errorf("a row of table %s has %d bytes in columns of fixed length; SQL Server takes %d: make char columns varchar", t.Name, row, sqlServerMaxRow)
	}
	return nil
}

// bytes is how much of a row a value takes at most.
func (s sqlServerText) bytes(t table.Type) int {
	switch t.Kind {
	case table.Boolean:
		return 1
	case table.SmallInt:
		return 2
	case table.Date:
		return 3
	case table.Integer:
		return 4
	case table.Time:
		return clockBytes(t)
	case table.Timestamp:
		return clockBytes(t) + 3
	case table.TimestampTZ:
		return clockBytes(t) + 5
	case table.Decimal:
		return 17
	case table.Char, table.Varchar:
		if s.national(t) {
			return 2 * t.Size
		}
		return t.Size
	case table.UUID:
		return 16
	}
	return 8
}

// clockBytes is how much of a row the time of day takes.
func clockBytes(t table.Type) int {
	switch {
	case t.Fraction() <= 2:
		return 3
	case t.Fraction() <= 4:
		return 4
	}
	return 5
}

// limit is what a column that the plan makes takes of its values.
func (s sqlServerText) limit(t table.Type) *table.Limit {
	if !t.Textual() {
		return nil
	}
	size := t.Size
	if t.Kind == table.Text {
		size = 0
	}
	if s.national(t) {
		return NationalLimit(s.textName(t), size)
	}
	return PageLimit(s.textName(t), size, s.page)
}

// NationalLimit is what a column takes whose texts are in UTF-16, of size pairs of bytes,
// or of any where it is 0.
func NationalLimit(native string, size int) *table.Limit {
	if size == 0 {
		return nil
	}
	why := "longer than " + native + ", where a character beyond U+FFFF counts as two"
	return &table.Limit{Native: native, Text: func(text []byte) ([]byte, string) {
		if len(text) <= size {
			return text, ""
		}
		units := utf8.RuneCount(text)
		for _, b := range text {
			if b >= 0xf0 {
				units++
			}
		}
		if units > size {
			return nil, why
		}
		return text, ""
	}}
}

// PageLimit is what a column takes whose texts are in a code page, of size bytes, or of
// any number where it is 0. A page that is not known has ASCII.
func PageLimit(native string, size int, page *codepage.Page) *table.Limit {
	misfit, lacking := "longer than "+native+" in bytes", native+" takes ASCII only; write characters: unicode for an n"+native
	if page != nil {
		lacking = fmt.Sprintf("a character that the code page %d of %s lacks; characters: unicode makes it n%[2]s", page.Number, native)
	}
	return &table.Limit{Native: native, Text: func(text []byte) ([]byte, string) {
		if codepage.ASCII(text) {
			if size > 0 && len(text) > size {
				return nil, misfit
			}
			return text, ""
		}
		if page == nil {
			return nil, lacking
		}
		encoded, ok := page.Encode(text)
		switch {
		case !ok:
			return nil, lacking
		case size > 0 && len(encoded) > size:
			return nil, misfit
		}
		return text, ""
	}}
}
