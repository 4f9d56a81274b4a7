package postgres

import (
	"context"
	"fmt"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
)

// Facts implements database.Prober.
func (t *Target) Facts(ctx context.Context) ([]database.Fact, error) {
	rows, err := t.Query(ctx, `SELECT current_setting('server_version'), current_user, coalesce(current_schema(), ''),
		coalesce((SELECT version FROM pg_stat_ssl WHERE pid = pg_backend_pid() AND ssl), ''), current_setting('server_encoding'),
		pg_is_in_recovery() OR current_setting('default_transaction_read_only') = 'on', current_setting('statement_timeout'),
		current_setting('maintenance_work_mem')`)
	if err != nil {
		return nil, err
	}
	v := rows[0]
	encrypted := database.Fact{Name: "encrypted", Value: v[3], OK: true}
	if v[3] == "" {
		encrypted.Value = "no"
		encrypted.Remedy = "add ?sslmode=verify-full to the URL; sslrootcert=FILE names the authority that the server's certificate is from"
		encrypted.OK = local(t.conn.Config().Host)
	}
	facts := []database.Fact{
		{Name: "server", Value: "PostgreSQL " + v[0], OK: true},
		{Name: "login", Value: v[1], OK: true},
		encrypted,
		{Name: "schema", Value: v[2], OK: v[2] != "", Required: true, Remedy: "SET search_path for this login, or write SCHEMA.TABLE"},
		{Name: "encoding", Value: v[4], OK: v[4] == "UTF8", Remedy: "characters that " + v[4] + " does not have will be rejected; a database of encoding UTF8 has them all"},
		{Name: "read only", Value: yes[v[5] == "t"], OK: v[5] != "t", Required: true, Remedy: "the server is a standby, or default_transaction_read_only is on: name the primary server, or turn that off"},
		{Name: "statement_timeout", Value: v[6], OK: v[6] == "0", Remedy: fmt.Sprintf("a load that takes longer is cut off: ALTER ROLE %s SET statement_timeout = 0", dialect.PostgreSQL.Quote(v[1]))},
		{Name: "maintenance_work_mem", Value: v[7], OK: true},
	}
	kept, err := t.storageFacts(ctx)
	return append(facts, kept...), err
}

var yes = map[bool]string{true: "yes", false: "no"}

// local reports whether a host is this machine.
func local(host string) bool {
	return host == "localhost" || host == "127.0.0.1" || host == "::1" || len(host) > 0 && host[0] == '/'
}

// Grant implements database.Prober.
func (t *Target) Grant(right string) string {
	user := dialect.PostgreSQL.Quote(t.conn.Config().User)
	switch right {
	case "create":
		return fmt.Sprintf("GRANT CREATE, USAGE ON SCHEMA public TO %s -- or the schema that the table goes to", user)
	case "ledger":
		return fmt.Sprintf("GRANT SELECT, INSERT, UPDATE, DELETE ON %s TO %s", ledger.Name, user)
	}
	return fmt.Sprintf("GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA public TO %s", user)
}
