package handover

import (
	"cmp"
	"fmt"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/tabbed"
	"ambertray/internal/table"
)

// form is how the rows are handed over, and what the person there types.
type form struct {
	rows    string // name of the file of rows
	encoder func(h *handover) convert.Encoder
	open    func(h *handover) (rowsWriter, error)
	head    string // settings of the client, before a script that loads
	// before begins the loading, load loads a file of rows, and after ends it.
	before func(h *handover) string
	load   func(h *handover, file string) string
	after  func(h *handover) string
	// client is the program that takes the scripts, toLoad and toVerify the commands to type.
	client, toLoad, toVerify string
	toInsert                 string // the one for a script of INSERT statements, if it differs from toLoad
	about                    string // what has to be known of them
}

// Bulk reports whether the rows are files for the bulk load of the server. Otherwise they are Parquet
// or INSERT statements, as for servers without a form for bulk loads.
func (o *Options) Bulk() bool { return !o.Inserts && !o.Parquet && forms[o.Dialect.Name] != nil }

// formOf returns the form for the options.
func formOf(o Options) *form {
	bulk := forms[o.Dialect.Name]
	switch {
	case o.Bulk():
		return bulk
	case o.Parquet:
		return &parquetForm
	}
	f := insertForm
	if bulk != nil {
		f.client, f.toVerify = bulk.client, bulk.toVerify
		f.toLoad = cmp.Or(bulk.toInsert, bulk.toLoad)
	}
	if o.Dialect == dialect.SQLite { // its client would continue after an error, and commit
		f.head = bulk.head
	}
	return &f
}

var insertForm = form{
	rows:     loadFile,
	encoder:  func(h *handover) convert.Encoder { return encoder{h.Dialect} },
	open:     openInserts,
	client:   "the client of your server",
	toLoad:   "Run load.sql with the client of your server, in one transaction.",
	toVerify: "Run verify.sql with it.",
}

var forms = map[string]*form{
	"postgresql": {
		rows:    "rows.txt", // the client ends a CSV file at a line \. within a text
		encoder: func(*handover) convert.Encoder { return tabbed.Encoder{Offset: true} },
		open:    func(h *handover) (rowsWriter, error) { return openBulk(h, "") },
		head:    "\\set ON_ERROR_STOP on\n\n",
		load: func(h *handover, file string) string {
			return fmt.Sprintf("\\copy %s (%s) FROM '%s' WITH (ENCODING 'UTF8')\n\n", h.Dialect.QuoteTable(h.table.Name), h.Dialect.Columns(h.table), file)
		},
		client:   "psql, the client of the server",
		toLoad:   "psql -f load.sql \"host=HOST dbname=DATABASE user=USER\"",
		toVerify: "psql -q -f verify.sql \"host=HOST dbname=DATABASE user=USER\"",
	},
	"mysql": {
		rows:    "rows.txt",
		encoder: func(*handover) convert.Encoder { return tabbed.Encoder{} },
		open:    func(h *handover) (rowsWriter, error) { return openBulk(h, "") },
		load: func(h *handover, file string) string {
			return fmt.Sprintf("LOAD DATA LOCAL INFILE '%s' INTO TABLE %s CHARACTER SET utf8mb4 (%s);\nSHOW COUNT(*) WARNINGS;\n\n", file, h.Dialect.QuoteTable(h.table.Name), h.Dialect.Columns(h.table))
		},
		client:   "mysql, the client of the server",
		toLoad:   "mysql --local-infile=1 -h HOST -u USER -p DATABASE < load.sql",
		toInsert: "mysql -h HOST -u USER -p DATABASE < load.sql",
		toVerify: "mysql -t -h HOST -u USER -p DATABASE < verify.sql",
		about: "The server must allow the bulk load (SET GLOBAL local_infile = ON). It cannot roll back the\n" +
			"new table: if the load fails, drop the table and start again. After each file the client\n" +
			"prints its number of warnings, which must be 0.",
	},
	"sqlite": {
		rows:    "rows.csv",
		encoder: func(h *handover) convert.Encoder { return csvEncoder{truth: [2]string{"0", "1"}, blank: &h.blank} },
		open:    func(h *handover) (rowsWriter, error) { return openBulk(h, "") },
		head:    ".bail on\n\n",
		before:  stagingTable,
		load: func(_ *handover, file string) string {
			return fmt.Sprintf(".import --csv %s ambertray_rows\n\n", file)
		},
		after:    fromRows,
		client:   "sqlite3, the client of SQLite",
		toLoad:   "sqlite3 DATABASE.db \".read load.sql\"",
		toVerify: "sqlite3 -box DATABASE.db \".read verify.sql\"",
		about: "The client must be of version 3.32 or later. Before 3.43 it reads some floating-point numbers of more\n" +
			"than 14 digits as the next smaller or greater one.",
	},
	"sqlserver": {
		rows:    "rows.csv",
		encoder: func(*handover) convert.Encoder { return csvEncoder{truth: [2]string{"0", "1"}} },
		open:    func(h *handover) (rowsWriter, error) { return openBulk(h, headings(h)) },
		load: func(h *handover, file string) string {
			return fmt.Sprintf("BULK INSERT %s FROM '$(folder)\\%s' WITH (FORMAT = 'CSV', FIRSTROW = 2, CODEPAGE = '65001', FIELDQUOTE = '\"', ROWTERMINATOR = '0x0a', KEEPNULLS, CHECK_CONSTRAINTS, MAXERRORS = 0, TABLOCK);\n\n",
				h.Dialect.QuoteTable(h.table.Name), file)
		},
		client:   "sqlcmd, the client of the server",
		toLoad:   "sqlcmd -S HOST -d DATABASE -b -I -f 65001 -i load.sql -v folder=\"FOLDER\"",
		toInsert: "sqlcmd -S HOST -d DATABASE -b -I -x -f 65001 -i load.sql",
		toVerify: "sqlcmd -S HOST -d DATABASE -b -I -x -f 65001 -W -i verify.sql",
		about: "FOLDER is the path of this folder as the server sees it: on its own disk, or on a share that its\n" +
			"service may read. The server must be version 2019 or later. BULK INSERT needs the permission\n" +
			"ADMINISTER BULK OPERATIONS. Everything is one transaction.",
	},
	"oracle": {
		rows:     "rows.csv",
		encoder:  func(*handover) convert.Encoder { return csvEncoder{truth: [2]string{"0", "1"}, micros: true} },
		open:     func(h *handover) (rowsWriter, error) { return openBulk(h, "") },
		before:   func(*handover) string { return "ALTER SESSION SET NLS_NUMERIC_CHARACTERS = '.,';\n\n" },
		after:    external,
		client:   "sqlplus, the client of the server",
		toLoad:   "sqlplus USER@SERVICE @load.sql",
		toVerify: "sqlplus USER@SERVICE @verify.sql",
		about: "The files of rows must be in a folder of the server that Oracle knows as the directory\n" +
			"AMBERTRAY_HANDOVER, which USER may read and write:\n" +
			"    CREATE DIRECTORY ambertray_handover AS '/PATH/OF/THE/FOLDER';\n" +
			"    GRANT READ, WRITE ON DIRECTORY ambertray_handover TO USER;\n" +
			"Oracle stores a blank text as NULL.",
	},
}

// headings is the first line of a file of rows.
func headings(h *handover) string {
	var line []byte
	for _, c := range h.table.Loaded() {
		line = append(appendQuoted(line, []byte(c.Name)), ',')
	}
	return strings.TrimSuffix(string(line), ",") + "\n"
}

// loadText is load.sql: the definition, the rows, and what follows them.
func (h *handover) loadText(r *Receipt) string {
	f, d := h.form, h.Dialect
	var text strings.Builder
	text.WriteString(h.title(r, "creates the table and loads its rows") + f.head)
	made := *h.table
	key := ""
	if d == dialect.PostgreSQL { // which is quicker once the rows are there
		key, made.Key = d.AddKey(h.table), nil
	}
	text.WriteString(statements(append(d.ScriptHead(), d.BeforeRows(&made)...)))
	if f.before != nil {
		text.WriteString(f.before(h))
	}
	for _, file := range h.parts {
		if f.load != nil {
			text.WriteString(f.load(h, file))
		}
	}
	if f.after != nil {
		text.WriteString(f.after(h))
	}
	if key != "" {
		text.WriteString(key + ";\n\n")
	}
	text.WriteString(statements(append(d.Finish(h.table, true), d.ScriptTail()...)))
	return text.String()
}

// title returns the comment at the beginning of a script. It leaves out the name of the table, because
// a client may replace parts of it.
func (h *handover) title(r *Receipt, does string) string {
	return fmt.Sprintf("-- For %s: this %s (%d).\n\n", h.Dialect.Title, does, r.Counts.Rows)
}

// stagingTable holds the rows of SQLite's client, which are all text.
func stagingTable(h *handover) string {
	var columns []string
	for i := range h.table.Loaded() {
		columns = append(columns, fmt.Sprintf("c%d text", i+1))
	}
	return "CREATE TEMP TABLE ambertray_rows (" + strings.Join(columns, ", ") + ");\n\n"
}

// fromRows moves the rows into the table, whose columns give them their types.
func fromRows(h *handover) string {
	var terms []string
	for i, c := range h.table.Loaded() {
		term := fmt.Sprintf("nullif(c%d, '')", i+1)
		if !c.Nullable && h.Dialect.Stored(c.Type).Textual() {
			term = fmt.Sprintf("c%d", i+1)
		}
		terms = append(terms, term)
	}
	return fmt.Sprintf("INSERT INTO %s (%s) SELECT %s FROM ambertray_rows;\n\nDROP TABLE ambertray_rows;\n\n",
		h.Dialect.QuoteTable(h.table.Name), h.Dialect.Columns(h.table), strings.Join(terms, ", "))
}

// longField is how many bytes Oracle reads of a field at most, and shortField those of a
// VARCHAR2.
const (
	longField  = 32 << 20
	shortField = 4000
)

// external loads the rows of Oracle's external table.
func external(h *handover) string {
	var columns, fields, terms, files []string
	for i, c := range h.table.Loaded() {
		name, typ, size := fmt.Sprintf("c%d", i+1), "VARCHAR2(4000)", shortField
		if strings.HasPrefix(h.Dialect.TypeName(c.Type), "clob") {
			typ, size = "CLOB", longField
		}
		columns = append(columns, name+" "+typ)
		fields = append(fields, fmt.Sprintf("%s CHAR(%d)", name, size))
		terms = append(terms, oracleTerm(name, h.Dialect.Stored(c.Type)))
	}
	for _, file := range h.parts {
		files = append(files, "'"+file+"'")
	}
	return fmt.Sprintf(`CREATE TABLE ambertray_rows (%s)
ORGANIZATION EXTERNAL (
  TYPE ORACLE_LOADER
  DEFAULT DIRECTORY ambertray_handover
  ACCESS PARAMETERS (
    RECORDS DELIMITED BY '\n' CHARACTERSET AL32UTF8
    NOLOGFILE NOBADFILE NODISCARDFILE
    FIELDS CSV WITH EMBEDDED TERMINATED BY ',' OPTIONALLY ENCLOSED BY '"' NOTRIM
    MISSING FIELD VALUES ARE NULL
    (%s)
  )
  LOCATION (%s)
)
REJECT LIMIT 0;

INSERT INTO %s (%s)
SELECT %s FROM ambertray_rows;

DROP TABLE ambertray_rows;

`, strings.Join(columns, ", "), strings.Join(fields, ", "), strings.Join(files, ", "),
		h.Dialect.QuoteTable(h.table.Name), h.Dialect.Columns(h.table), strings.Join(terms, ", "))
}

// oracleTerm reads a text as a type.
func oracleTerm(name string, t table.Type) string {
	switch t.Kind {
	case table.SmallInt, table.Integer, table.BigInt, table.Decimal, table.Boolean:
		return "TO_NUMBER(" + name + ")"
	case table.Double:
		return "TO_BINARY_DOUBLE(" + name + ")"
	case table.Date:
		return "TO_DATE(" + name + ", 'YYYY-MM-DD')"
	case table.Timestamp:
		return "TO_TIMESTAMP(" + name + ", 'YYYY-MM-DD HH24:MI:SS.FF6')"
	case table.TimestampTZ:
		return "TO_TIMESTAMP_TZ(" + name + ", 'YYYY-MM-DD HH24:MI:SS.FF6TZH:TZM')"
	}
	return name
}
