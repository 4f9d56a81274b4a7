package sqlserver

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/microsoft/go-mssqldb/msdsn"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
)

// Facts implements database.Prober.
func (t *Target) Facts(ctx context.Context) ([]database.Fact, error) {
	rows, err := t.Query(ctx, `SELECT CAST(SERVERPROPERTY('ProductVersion') AS nvarchar(60)), CAST(SERVERPROPERTY('Edition') AS nvarchar(60)), SUSER_SNAME(), SCHEMA_NAME(),
		compatibility_level, collation_name, is_read_only, recovery_model_desc, snapshot_isolation_state,
		coalesce(CAST(COLLATIONPROPERTY(collation_name, 'CodePage') AS int), 0) FROM sys.databases WHERE name = DB_NAME()`)
	if err != nil {
		return nil, err
	}
	if len(rows) != 1 {
		return nil, t.fail("look at the database", fmt.Errorf("sys.databases has %d rows of it", len(rows)))
	}
	v := rows[0]
	recovery := database.Fact{Name: "recovery model", Value: v[7], OK: true}
	if v[7] == "FULL" {
		recovery.Remedy = "a load in one transaction stays in the log until it is backed up; --commit-every keeps it short"
	}
	facts := []database.Fact{
		{Name: "server", Value: "SQL Server " + v[0] + ", " + v[1], OK: true},
		{Name: "login", Value: v[2], OK: true},
		t.encrypted(),
		{Name: "schema", Value: v[3], OK: v[3] != "", Required: true, Remedy: "give the login a default schema, or write SCHEMA.TABLE"},
		{Name: "compatibility level", Value: v[4], OK: true},
		{Name: "collation", Value: fmt.Sprintf("%s, code page %s", v[5], v[9]), OK: true},
		{Name: "read only", Value: map[bool]string{true: "yes", false: "no"}[v[6] == "1"], OK: v[6] != "1", Required: true, Remedy: "name the primary server, or ALTER DATABASE " + dialect.SQLServer.Quote(t.database) + " SET READ_WRITE"},
		recovery,
		{Name: "snapshot isolation", Value: map[bool]string{true: "allowed", false: "not allowed"}[v[8] == "1"], OK: true},
	}
	space, err := t.spaceFacts(ctx)
	if err != nil {
		return nil, err
	}
	triggers, err := t.triggerFacts(ctx)
	return append(append(facts, space...), triggers...), err
}

// pagesPerMB is how many pages of 8 kB a megabyte has.
const pagesPerMB = 128

// spaceFacts say how large the files of the database are, and how far they may grow.
func (t *Target) spaceFacts(ctx context.Context) (facts []database.Fact, err error) {
	rows, err := t.Query(ctx, "SELECT type_desc, size, max_size, growth, name FROM sys.database_files ORDER BY file_id")
	for _, row := range rows {
		size, most, growth := database.ParseCount(row[1]), database.ParseCount(row[2]), database.ParseCount(row[3])
		f := database.Fact{Name: "data file", Value: fmt.Sprintf("%d MB", size/pagesPerMB), OK: true}
		if row[0] == "LOG" {
			f.Name = "log file"
		}
		switch {
		case growth == 0 || most == 0:
			f.Value += ", which cannot grow"
		case most > 0 && most < sizeOfAnyLog:
			f.Value += fmt.Sprintf(", up to %d MB", most/pagesPerMB)
		default:
			f.Value += ", as large as the disk allows"
		}
		f.OK = growth > 0 && most != 0
		if !f.OK {
			f.Remedy = fmt.Sprintf("ALTER DATABASE %s MODIFY FILE (NAME = %s, FILEGROWTH = 64MB)", dialect.SQLServer.Quote(t.database), dialect.SQLServer.Quote(row[4]))
		}
		facts = append(facts, f)
	}
	return facts, err
}

// sizeOfAnyLog is the number of pages, 2 TB, that the server states of a log without a limit.
const sizeOfAnyLog = 268_435_456

// maxTriggers is how many triggers are named.
const maxTriggers = 5

// triggerFacts name the triggers that rows which are loaded run.
func (t *Target) triggerFacts(ctx context.Context) ([]database.Fact, error) {
	rows, err := t.Query(ctx, `SELECT DISTINCT o.name, g.name FROM sys.triggers g JOIN sys.trigger_events e ON e.object_id = g.object_id JOIN sys.objects o ON o.object_id = g.parent_id
		WHERE g.is_disabled = 0 AND e.type_desc = 'INSERT' ORDER BY o.name, g.name`)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	var names []string
	for _, row := range rows[:min(len(rows), maxTriggers)] {
		names = append(names, row[1]+" of "+row[0])
	}
	value := strings.Join(names, ", ")
	more := len(rows) - len(names)
	if more > 0 {
		value += fmt.Sprintf(" and %d more", more)
	}
	return []database.Fact{{Name: "triggers", Value: value, OK: true, Remedy: "they run for rows that are loaded, which go through a temporary table first"}}, nil
}

// encrypted says how much of the connection goes through TLS.
func (t *Target) encrypted() database.Fact {
	f := database.Fact{Name: "encrypted", Value: "yes", OK: true}
	switch t.config.Encryption {
	case msdsn.EncryptionDisabled:
		f.Value = "no"
	case msdsn.EncryptionOff:
		f.Value = "the login only"
	}
	if f.Value != "yes" {
		f.OK = slices.Contains([]string{"localhost", "127.0.0.1", "::1"}, t.host)
		f.Remedy = "take encrypt out of the URL, or write encrypt=strict"
	} else if t.config.TrustServerCertificate {
		f.Value = "yes, by whatever certificate the server has"
		f.OK = slices.Contains([]string{"localhost", "127.0.0.1", "::1"}, t.host)
		f.Remedy = "take trustservercertificate out of the URL; certificate=FILE names the authority that the server's certificate is from"
	}
	return f
}

// Grant implements database.Prober.
func (t *Target) Grant(right string) string {
	user := dialect.SQLServer.Quote(t.config.User)
	switch right {
	case "create":
		return fmt.Sprintf("GRANT CREATE TABLE TO %s; GRANT ALTER, SELECT, INSERT, UPDATE, DELETE ON SCHEMA::dbo TO %[1]s -- or the schema that the table goes to", user)
	case "ledger":
		return fmt.Sprintf("GRANT SELECT, INSERT, UPDATE, DELETE ON %s TO %s", ledger.Name, user)
	}
	return fmt.Sprintf("GRANT SELECT, INSERT, UPDATE, DELETE ON SCHEMA::dbo TO %s", user)
}
