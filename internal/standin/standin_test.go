package standin_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	mssql "github.com/microsoft/go-mssqldb"
	"github.com/stretchr/testify/require"

	"ambertray/internal/standin"
)

const password = "Amber!1"

// start starts a server with the database museum.
func start(t testing.TB, o standin.Options) *standin.Server {
	t.Helper()
	o.Dir = t.TempDir()
	o.Logins = map[string]standin.Login{"sa": {Password: password}, "reader": {Password: password, ReadOnly: true}, "writer": {Password: password, NoCreate: true}}
	if o.TLS == nil {
		secure, err := standin.SelfSigned()
		require.NoError(t, err)
		o.TLS = secure
	}
	s, err := standin.Start("127.0.0.1:0", o)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	require.NoError(t, s.CreateDatabase("museum"))
	return s
}

func address(s *standin.Server, user, parameters string) string {
	return fmt.Sprintf("sqlserver://%s:Amber%%211@%s?database=museum&%s", user, s.Address(), parameters)
}

// client is one session over the Go driver.
func client(t testing.TB, s *standin.Server, user string) *sql.Conn {
	t.Helper()
	db, err := sql.Open("sqlserver", address(s, user, "encrypt=true&trustservercertificate=true"))
	require.NoError(t, err)
	c, err := db.Conn(context.Background())
	require.NoError(t, err)
	t.Cleanup(func() { _ = errors.Join(c.Close(), db.Close()) })
	return c
}

// ask runs a batch and returns the rows of its first result, with bars between the
// cells, or the numbers of its errors.
func ask(c *sql.Conn, batch string) string {
	rows, err := c.QueryContext(context.Background(), batch)
	if err != nil {
		return numbers(err)
	}
	defer rows.Close()
	columns, _ := rows.Columns()
	cells, at := make([]any, len(columns)), make([]any, len(columns))
	for i := range at {
		at[i] = &cells[i]
	}
	var lines []string
	for rows.Next() {
		err := rows.Scan(at...)
		if err != nil {
			return err.Error()
		}
		var texts []string
		for _, cell := range cells {
			texts = append(texts, shown(cell))
		}
		lines = append(lines, strings.Join(texts, "|"))
	}
	if rows.Err() != nil {
		return numbers(rows.Err())
	}
	return strings.Join(lines, " / ")
}

func shown(cell any) string {
	switch x := cell.(type) {
	case nil:
		return "NULL"
	case []byte:
		return string(x)
	case time.Time:
		return strings.TrimSuffix(x.UTC().Format("2006-01-02T15:04:05.999999999"), "T00:00:00")
	}
	return fmt.Sprint(cell)
}

func numbers(err error) string {
	var e mssql.Error
	if !errors.As(err, &e) {
		return err.Error()
	}
	var list []string
	for _, x := range e.All {
		list = append(list, strconv.Itoa(int(x.Number)))
	}
	return "error " + strings.Join(list, " ")
}

// TestStatements runs batches in order, and wants what a server would answer.
func TestStatements(t *testing.T) {
	c := client(t, start(t, standin.Options{}), "sa")
	for _, x := range []struct{ batch, want string }{
		{"CREATE TABLE shelf (code varchar(5) NOT NULL PRIMARY KEY, room int DEFAULT 7)", ""},
		{"CREATE TABLE find (no int IDENTITY(5,1) PRIMARY KEY, name nvarchar(5) NULL UNIQUE, mass decimal(7,2), day date, at datetime2(3), shelf varchar(5) REFERENCES shelf (code), pieces int NOT NULL CHECK (pieces > 0))", ""},
		{"INSERT INTO shelf (code) VALUES ('A1'), ('B2')", ""},
		{"SELECT code, room FROM shelf ORDER BY code DESC", "B2|7 / A1|7"},
		{"INSERT INTO find (name, mass, day, at, shelf, pieces) VALUES (N'ant', 12.5, '2026-01-31', '2026-01-31T10:00:00.1234', 'A1', 1), (NULL, -3, NULL, NULL, NULL, 2)", ""},
		{"SELECT * FROM find", "5|ant|12.50|2026-01-31|2026-01-31T10:00:00.123|A1|1 / 6|NULL|-3.00|NULL|NULL|NULL|2"},
		// Names, types and rules.
		{"SELECT nothing FROM find", "error 207"}, {"SELECT * FROM nothing", "error 208"}, {"SELECT f.no FROM find x", "error 4104"},
		{"SELECT code FROM shelf a, shelf b", "error 209"}, {"SELECT count(*), name FROM find", "error 8120"}, {"SELECT sum(pieces), shelf FROM find GROUP BY shelf ORDER BY 2", "2|NULL / 1|A1"},
		{"INSERT INTO find (no, pieces) VALUES (9, 1)", "error 544"}, {"INSERT INTO find (name) VALUES (N'x')", "error 515"},
		{"INSERT INTO find (name, pieces) VALUES (N'beetle', 1)", "error 2628"}, {"INSERT INTO find (mass, pieces) VALUES (123456, 1)", "error 8115"},
		{"INSERT INTO find (name, pieces) VALUES (N'ANT ', 1)", "error 2627"}, {"INSERT INTO find (name, pieces) VALUES (NULL, 1)", "error 2627"},
		{"INSERT INTO find (name, pieces) VALUES (N'x', 0)", "error 547"}, {"INSERT INTO find (name, pieces, shelf) VALUES (N'x', 1, 'Z9')", "error 547"},
		{"INSERT INTO find (day, pieces) VALUES ('31.01.2026', 1)", "error 241"}, {"INSERT INTO find (pieces) VALUES ('x')", "error 245"},
		{"DELETE FROM shelf WHERE code = 'A1'", "error 547"}, {"TRUNCATE TABLE shelf", "error 4712"}, {"DROP TABLE shelf", "error 3726"},
		{"SELECT count(*) FROM find", "2"},
		// What of a statement that fails stays, and what the batch does then.
		{"INSERT INTO shelf (code) VALUES ('C3'), ('A1')", "error 2627"}, {"SELECT count(*) FROM shelf", "2"},
		{"INSERT INTO shelf (code) VALUES ('A1'); SELECT 1 AS goes_on", "error 2627"},
		{"CREATE TABLE shelf (x int)", "error 2714"}, {"CREATE TABLE far.t (x int)", "error 2760"}, {"CREATE SCHEMA far", ""}, {"CREATE TABLE far.t (x int)", ""}, {"DROP SCHEMA far", "error 3729"},
		// Transactions.
		{"BEGIN TRANSACTION; INSERT INTO shelf (code) VALUES ('T1'); SAVE TRANSACTION s; DELETE FROM shelf WHERE code = 'T1'; ROLLBACK TRANSACTION s", ""},
		{"SELECT count(*), @@TRANCOUNT FROM shelf", "3|1"}, {"ROLLBACK TRANSACTION", ""}, {"SELECT count(*), @@TRANCOUNT FROM shelf", "2|0"},
		{"COMMIT TRANSACTION", "error 3902"}, {"ROLLBACK TRANSACTION", "error 3903"}, {"SAVE TRANSACTION s", "error 628"},
		{"SET XACT_ABORT ON; BEGIN TRANSACTION; INSERT INTO shelf (code) VALUES ('A1')", "error 2627"}, {"SELECT @@TRANCOUNT", "0"}, {"SET XACT_ABORT OFF", ""},
		{"BEGIN TRANSACTION; CREATE TABLE gone (x int); ROLLBACK TRANSACTION", ""}, {"SELECT x FROM gone", "error 208"},
		// Expressions and conditions, which are not the same.
		{"SELECT CASE WHEN room > 5 AND NOT room IN (1, 2) THEN 'far' ELSE 'near' END, coalesce(NULL, room), CAST(room AS nvarchar(9)) + N'!', -room % 4 FROM shelf WHERE code LIKE '[a-b]_'", "far|7|7!|-3 / far|7|7!|-3"},
		{"SELECT room > 5 FROM shelf", "error 102"}, {"SELECT 1 WHERE room", "error 102"},
		{"SELECT a.code FROM shelf a WHERE EXISTS (SELECT a.room EXCEPT SELECT 8) ORDER BY code", "A1 / B2"},
		{"SELECT n FROM (SELECT no AS n, row_number() OVER (PARTITION BY pieces ORDER BY no DESC) AS nth FROM find) q WHERE q.nth = 1 ORDER BY n", "5 / 6"},
		{"SELECT count(*) FROM find WHERE mass = 12.50 AND day >= '2026-01-01' AND at < '2026-02-01' AND name = 'ANT'", "1"},
		{"SELECT mass + 1, CAST(mass AS int), TRY_CAST('x' AS int) FROM find WHERE no = 5", "13.50|12|NULL"},
		{"SELECT k.x FROM (VALUES (1), (3)) AS k (x) WHERE k.x > 2", "3"}, {"WITH q AS (SELECT code FROM shelf) SELECT count(*) FROM q", "2"},
		{"UPDATE f SET name = s.code FROM find AS f JOIN shelf AS s ON s.code = f.shelf", ""}, {"SELECT name FROM find WHERE no = 5", "A1"},
		{"DELETE s OUTPUT deleted.code FROM shelf AS s WHERE s.code = 'B2'", "B2"},
		{"SELECT TOP (1) no FROM find ORDER BY no DESC", "6"}, {"SELECT no FROM find ORDER BY no OFFSET 1 ROWS FETCH NEXT 1 ROWS ONLY", "6"},
		{"SELECT 1 UNION ALL SELECT 2 EXCEPT SELECT 1", "2"}, {"SELECT 1 UNION SELECT 1, 2", "error 205"}, {"SELECT day + 1 FROM find", "error 50001"}, {"SELECT 1 WHERE 1 = day", "error 207"},
		// Variables, procedures and locks.
		{"DECLARE @n int; EXEC @n = sp_getapplock @Resource = N'x', @LockMode = 'Exclusive', @LockOwner = 'Session', @LockTimeout = 0; SELECT @n", "0"},
		{"SELECT @m", "error 137"}, {"EXEC sp_nothing", "error 2812"}, {"IF 1 = 2 SELECT 1 ELSE SELECT 2", "2"}, {"THROW 50007, 'no', 1", "error 50007"},
		{"EXEC sys.sp_addextendedproperty @name = N'MS_Description', @value = N'where it is', @level0type = N'SCHEMA', @level0name = N'dbo', @level1type = N'TABLE', @level1name = N'shelf'", ""},
		{"SELECT value FROM sys.extended_properties WHERE major_id = OBJECT_ID(N'shelf')", "where it is"},
		{"SELECT c.name, t.name, c.max_length, c.is_identity FROM sys.columns c JOIN sys.types t ON t.user_type_id = c.user_type_id WHERE c.object_id = OBJECT_ID('find') AND c.column_id < 4 ORDER BY c.column_id", "no|int|4|true / name|nvarchar|10|false / mass|decimal|9|false"},
		// Identity and temporary tables.
		{"SET IDENTITY_INSERT find ON; INSERT INTO find (no, name, pieces) VALUES (40, N'forty', 1); SET IDENTITY_INSERT find OFF; INSERT INTO find (name, pieces) VALUES (N'next', 1)", ""},
		{"SELECT max(no) FROM find", "41"}, {"SET IDENTITY_INSERT shelf ON", "error 8106"},
		{"CREATE TABLE #t (no bigint IDENTITY, x int); INSERT INTO #t (x) VALUES (3), (4)", ""}, {"SELECT no, x FROM #t", "1|3 / 2|4"}, {"SELECT OBJECT_ID('tempdb..#t') - OBJECT_ID('tempdb..#t'), OBJECT_ID('#none')", "0|NULL"},
		// What a table cannot be.
		{"CREATE TABLE wide (x nvarchar(5000))", "error 131"}, {"CREATE TABLE keyed (x nvarchar(460) PRIMARY KEY)", "error 1944"}, {"CREATE TABLE odd (x text)", "error 50001"}, {"CREATE TABLE paid (x money, y smallmoney); INSERT INTO paid VALUES (-1.25, '214748.3647')", ""}, {"SELECT x, y, x + 1 FROM paid WHERE x < 0 AND y = 214748.3647", "-1.2500|214748.3647|-0.2500"}, {"CREATE TABLE twice (x int, X int)", "error 2705"},
		{"CREATE TABLE d (x int); INSERT INTO d VALUES (1), (1)", ""}, {"ALTER TABLE d ADD PRIMARY KEY (x)", "error 8111"}, {"CREATE UNIQUE INDEX d_x ON d (x)", "error 1505 1750"}, {"ALTER TABLE d ADD CONSTRAINT c CHECK (x > 1)", "error 547"},
		{"CREATE TABLE later (day varchar(20)); INSERT INTO later VALUES ('soon')", ""}, {"ALTER TABLE later ALTER COLUMN day date", "error 241"}, {"SELECT day FROM later", "soon"},
		{"SELECT CAST(day AS int) FROM later", "error 245"}, {"UPDATE later SET day = CAST(day AS date)", "error 241"}, {"SELECT 1 WHERE EXISTS (SELECT 1 FROM later WHERE CAST(day AS int) = 1)", "error 245"},
		{"DROP TABLE IF EXISTS nothing; DROP TABLE d", ""}, {"DROP TABLE d", "error 3701"},
		// All else is refused.
		{"MERGE shelf USING find ON 1 = 1", "error 102"}, {"SELECT * INTO copy FROM shelf", "error 50001"}, {"SELECT stdev(room) FROM shelf", "error 195"}, {"SELECT min(room) OVER (PARTITION BY room) FROM shelf", "error 50001"}, {"CREATE VIEW v AS SELECT 1", "error 102"},
		{"WAITFOR DELAY '0:0:1'", "error 102"}, {"SELECT CONVERT(varchar(9), 1, 120)", "error 102"}, {"SELECT 'x", "error 102"}, {"BACKUP DATABASE museum TO DISK = 'x'", "error 102"},
	} {
		require.Equal(t, x.want, ask(c, x.batch), x.batch)
	}
}

// TestTriggers runs one for the rows that are inserted.
func TestTriggers(t *testing.T) {
	c := client(t, start(t, standin.Options{}), "sa")
	for _, x := range []struct{ batch, want string }{
		{"CREATE TABLE visit (no int, name nvarchar(9), twice int)", ""},
		{"CREATE TRIGGER shout ON visit AFTER INSERT AS UPDATE v SET name = upper(v.name), twice = 2 * v.no FROM visit AS v JOIN inserted AS i ON i.no = v.no", ""},
		{"INSERT INTO visit (no, name) VALUES (1, N'ant')", ""}, {"INSERT INTO visit (no, name) VALUES (2, N'bee')", ""}, {"SELECT no, name, twice FROM visit", "1|ANT|2 / 2|BEE|4"},
		{"CREATE TRIGGER none ON visit AFTER INSERT AS IF EXISTS (SELECT 1 FROM inserted WHERE no = 9) THROW 50009, 'no nines', 1", ""},
		{"BEGIN TRANSACTION; INSERT INTO visit (no) VALUES (3)", ""}, {"INSERT INTO visit (no) VALUES (9)", "error 50009"}, {"SELECT @@TRANCOUNT, count(*) FROM visit", "0|2"},
		{"CREATE TRIGGER t ON visit INSTEAD OF INSERT AS SELECT 1", "error 102"}, {"DROP TRIGGER shout", ""}, {"DROP TRIGGER shout", "error 3701"},
	} {
		require.Equal(t, x.want, ask(c, x.batch), x.batch)
	}
}

// TestRights refuses what a login may not do.
func TestRights(t *testing.T) {
	s := start(t, standin.Options{})
	sa, reader, writer := client(t, s, "sa"), client(t, s, "reader"), client(t, s, "writer")
	require.Empty(t, ask(sa, "CREATE TABLE shelf (no int IDENTITY, x int)"))
	for _, x := range []struct {
		by          *sql.Conn
		batch, want string
	}{
		{reader, "SELECT count(*) FROM shelf", "0"}, {reader, "INSERT INTO shelf (x) VALUES (1)", "error 229"}, {reader, "DELETE FROM shelf", "error 229"}, {reader, "UPDATE shelf SET x = 1", "error 229"},
		{reader, "CREATE TABLE t (x int)", "error 262"}, {reader, "CREATE TABLE #t (x int)", ""}, {reader, "DROP TABLE shelf", "error 3701"}, {reader, "CREATE DATABASE d", "error 262"},
		{writer, "INSERT INTO shelf (x) VALUES (1)", ""}, {writer, "CREATE TABLE t (x int)", "error 262"}, {writer, "ALTER TABLE shelf ADD y int", "error 1088"}, {writer, "SET IDENTITY_INSERT shelf ON", "error 1088"},
		{writer, "TRUNCATE TABLE shelf", "error 1088"}, {writer, "SELECT HAS_PERMS_BY_NAME(NULL, NULL, 'CREATE TABLE'), SUSER_SNAME()", "0|writer"},
	} {
		require.Equal(t, x.want, ask(x.by, x.batch), x.batch)
	}
	locked := start(t, standin.Options{ReadOnly: true})
	require.Equal(t, "error 3906", ask(client(t, locked, "sa"), "CREATE TABLE t (x int)"))
}

// TestSessions has two at once, of which one waits, is ended or is broken off.
func TestSessions(t *testing.T) {
	s := start(t, standin.Options{})
	a, b := client(t, s, "sa"), client(t, s, "sa")
	require.Empty(t, ask(a, "CREATE TABLE shelf (x int); INSERT INTO shelf VALUES (1)"))
	require.Empty(t, ask(a, "BEGIN TRANSACTION; INSERT INTO shelf VALUES (2)"))
	require.Equal(t, "1", ask(b, "SELECT count(*) FROM shelf"), "what is not committed is not seen")
	require.Equal(t, "error 1222", ask(b, "SET LOCK_TIMEOUT 50; INSERT INTO shelf VALUES (3)"))
	const lock = "DECLARE @n int; EXEC @n = sp_getapplock @Resource = 'x', @LockMode = 'Exclusive', @LockOwner = '%s', @LockTimeout = 20; SELECT @n"
	require.Equal(t, "0", ask(a, fmt.Sprintf(lock, "Transaction")))
	require.Equal(t, "-1", ask(b, fmt.Sprintf(lock, "Session")))
	require.Equal(t, "-999", ask(b, fmt.Sprintf(lock, "Transaction")), "there is no transaction")
	require.Empty(t, ask(a, "COMMIT TRANSACTION"))
	require.Equal(t, "0", ask(b, fmt.Sprintf(lock, "Session")), "it ended with the transaction")
	require.Empty(t, ask(b, "SET TRANSACTION ISOLATION LEVEL SNAPSHOT; BEGIN TRANSACTION"))
	require.Empty(t, ask(a, "INSERT INTO shelf VALUES (4)"))
	require.Equal(t, "2", ask(b, "SELECT count(*) FROM shelf"), "of the moment when it began")
	require.Empty(t, ask(b, "ROLLBACK TRANSACTION; SET TRANSACTION ISOLATION LEVEL READ COMMITTED"))

	// An attention breaks a long query off, and the session goes on.
	require.Empty(t, ask(a, "INSERT INTO shelf SELECT TOP (900) 5 FROM shelf a, shelf b, shelf c, shelf d, shelf e, shelf f, shelf g"))
	ctx, cancel := context.WithCancel(context.Background())
	time.AfterFunc(100*time.Millisecond, cancel)
	_, err := a.ExecContext(ctx, "SELECT count(*) FROM shelf a, shelf b, shelf c WHERE a.x + b.x + c.x < 0")
	require.ErrorIs(t, err, context.Canceled)
	require.Equal(t, "903", ask(a, "SELECT count(*) FROM shelf"))

	require.Empty(t, ask(a, "BEGIN TRANSACTION; DELETE FROM shelf"))
	require.Empty(t, ask(b, "KILL "+ask(a, "SELECT @@SPID")))
	require.Equal(t, "903", ask(b, "SELECT count(*) FROM shelf"), "the session that ended has rolled back")
	require.Equal(t, "error 6106", ask(b, "KILL 7"))
}

// TestFailures happen when they are asked for.
func TestFailures(t *testing.T) {
	s := start(t, standin.Options{})
	c := client(t, s, "sa")
	require.Empty(t, ask(c, "CREATE TABLE shelf (x int)"))
	for what, want := range map[string]string{"deadlock": "error 1205", "full": "error 9002"} {
		require.Empty(t, ask(c, "EXEC standin_fail @what = '"+what+"', @after = 1"))
		require.Empty(t, ask(c, "BEGIN TRANSACTION; INSERT INTO shelf VALUES (1)"))
		require.Equal(t, want, ask(c, "INSERT INTO shelf VALUES (2)"))
		open := map[string]string{"deadlock": "0", "full": "1"}[what]
		require.Equal(t, open, ask(c, "SELECT @@TRANCOUNT"), what)
		require.Empty(t, ask(c, "IF @@TRANCOUNT > 0 ROLLBACK TRANSACTION"))
	}
	require.Equal(t, "error 50001", ask(c, "EXEC standin_fail 'else'"))
	require.NoError(t, s.Fail("slow", 0))
	require.Empty(t, ask(c, "INSERT INTO shelf VALUES (3)"))
	require.NoError(t, s.Fail("none", 0))
	require.NoError(t, s.Fail("cut", 0))
	require.NotContains(t, ask(c, "INSERT INTO shelf VALUES (4)"), "error ")
	require.Equal(t, "1", ask(client(t, s, "sa"), "SELECT count(*) FROM shelf"))
}

// TestLogin opens connections with every kind of encryption, and refuses others.
func TestLogin(t *testing.T) {
	s := start(t, standin.Options{RequireTLS: true})
	for parameters, want := range map[string]string{
		"encrypt=true&trustservercertificate=true": "", "encrypt=false&trustservercertificate=true": "", "encrypt=true": "x509",
		"encrypt=disable": "x509", "encrypt=strict": "x509",
	} {
		db, err := sql.Open("sqlserver", address(s, "sa", parameters))
		require.NoError(t, err)
		err = db.Ping()
		if want == "" {
			require.NoError(t, err, parameters)
		} else {
			require.ErrorContains(t, err, want, parameters)
		}
		require.NoError(t, db.Close())
	}
	for url, number := range map[string]int32{
		strings.Replace(address(s, "sa", "encrypt=true&trustservercertificate=true"), "211", "212", 1):        18456,
		strings.Replace(address(s, "sa", "encrypt=true&trustservercertificate=true"), "museum", "nowhere", 1): 4060,
		address(s, "nobody", "encrypt=true&trustservercertificate=true"):                                      18456,
	} {
		db, err := sql.Open("sqlserver", url)
		require.NoError(t, err)
		var e mssql.Error
		require.ErrorAs(t, db.Ping(), &e)
		require.Equal(t, number, e.Number)
		require.NoError(t, db.Close())
	}
}

// TestBulkCopy loads with the driver's own bulk copy, and reads back what it has sent.
func TestBulkCopy(t *testing.T) {
	c := client(t, start(t, standin.Options{}), "sa")
	require.Empty(t, ask(c, `CREATE TABLE every (a tinyint, b smallint, c int NOT NULL PRIMARY KEY, d bigint, e decimal(9,2), f decimal(38,4), g float, h real, i bit, j date,
		k time(7), l datetime2(6), m datetimeoffset(3), n char(3), o nvarchar(5), p varchar(max), q uniqueidentifier, r varbinary(4), s datetime)`))
	day := time.Date(2026, 1, 31, 10, 20, 30, 500_000_000, time.UTC)
	row := []any{
		int64(7), int64(-300), int64(1), int64(-1 << 62), "-1234567.89", "12345678901234567890123456789012.5", 0.1, float32(1.5), true, day,
		day, day, day, "ab", "é漢😀", strings.Repeat("long ", 3000), []byte("0123456789abcdef"), []byte{1, 2}, day,
	}
	copyIn := func(rows ...[]any) error {
		return c.Raw(func(conn any) error {
			bulk := conn.(*mssql.Conn).CreateBulk("every", strings.Split("abcdefghijklmnopqrs", ""))
			bulk.Options = mssql.BulkOptions{KeepNulls: true, CheckConstraints: true}
			for _, r := range rows {
				err := bulk.AddRow(r)
				if err != nil {
					return err
				}
			}
			n, err := bulk.Done()
			if err == nil && n != int64(len(rows)) {
				err = fmt.Errorf("%d rows", n)
			}
			return err
		})
	}
	blank := make([]any, len(row))
	blank[2] = int64(2)
	require.NoError(t, copyIn(row, blank))
	require.Equal(t, "7|-300|1|-4611686018427387904|-1234567.89|12345678901234567890123456789012.5000|0.1|1.5|true|2026-01-31|0001-01-01T10:20:30.5|2026-01-31T10:20:30.5|2026-01-31T10:20:30.5|ab |é漢😀|15000",
		ask(c, "SELECT a, b, c, d, e, f, g, h, i, j, k, l, m, n, o, len(p + 'x') - 1 FROM every WHERE c = 1"))
	require.Equal(t, strings.Repeat("NULL|", 2)+"2"+strings.Repeat("|NULL", 16), ask(c, "SELECT * FROM every WHERE c = 2"))
	blank[2] = int64(3)
	again := append([]any{}, blank...)
	again[2] = int64(1)
	require.Equal(t, "error 2627", numbers(copyIn(blank, again)))
	require.Equal(t, "2", ask(c, "SELECT count(*) FROM every"), "all rows of one load or none")
	again[2], again[14] = int64(4), "longer"
	require.Equal(t, "error 2628", numbers(copyIn(again)))
}

// TestOtherClients has clients in other languages create, load and query.
func TestOtherClients(t *testing.T) {
	s := start(t, standin.Options{})
	folder := os.Getenv("AMBERTRAY_TEDIOUS")
	require.NotEmpty(t, folder, "start the tests with ./test.sh, which installs the clients")
	out, err := exec.Command("node", "--no-deprecation", filepath.Join("testdata", "tedious.js"), folder, strconv.Itoa(s.Port())).CombinedOutput()
	require.NoError(t, err, string(out))
	require.Equal(t, `2
[1,"Müller 漢",-12.5,"2026-01-31T00:00:00.000Z","2026-01-31T10:00:00.000Z",true,9000,0.1]
[2,null,null,null,null,null,null,null]
[["Müller 漢"]]
2627
2627
2
`, string(out))
	tsql := exec.Command("tsql", "-H", "127.0.0.1", "-p", strconv.Itoa(s.Port()), "-U", "sa", "-P", password, "-D", "museum", "-o", "q")
	tsql.Stdin = strings.NewReader("create table room (no int, name nvarchar(9), day date)\ngo\ninsert into room values (1, N'north', '2026-01-31'), (2, null, null)\ngo\nselect no, name, no + 0.5 from room order by no desc\ngo\nselect nothing\ngo\nexit\n")
	text, err := tsql.CombinedOutput()
	require.NoError(t, err, string(text))
	require.Contains(t, string(text), "2\tNULL\t2.5\n1\tnorth\t1.5\n")
	require.Contains(t, string(text), "Msg 207 (severity 16")
}
