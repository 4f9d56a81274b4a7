package postgres

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"ambertray/internal/database"
)

// settings are those that a session would take from the login, the database or the server
// otherwise. Backslashes in constants are text, and doubles are written in full. A session is idle
// while we read a source. It ends, with its locks, within a few minutes after our machine has vanished.
const settings = `SELECT set_config('datestyle', 'ISO', false), set_config('timezone', 'UTC', false), set_config('intervalstyle', 'postgres', false),
	set_config('bytea_output', 'hex', false), set_config('extra_float_digits', '3', false), set_config('standard_conforming_strings', 'on', false),
	set_config('quote_all_identifiers', 'off', false), set_config('transform_null_equals', 'off', false),
	set_config('default_transaction_isolation', 'read committed', false),
	set_config('tcp_keepalives_idle', '60', false), set_config('tcp_keepalives_interval', '15', false),
	(SELECT count(set_config(name, CASE name WHEN 'tcp_user_timeout' THEN '180000' ELSE '0' END, false)) FROM pg_settings
		WHERE name IN ('tcp_user_timeout', 'idle_session_timeout', 'idle_in_transaction_session_timeout'))`

// beginSession sets the settings of a session. It refuses a pool that runs each transaction in another
// session, because other programs would get these settings and the locks of a load.
func (t *Target) beginSession(ctx context.Context, c *pgconn.PgConn) error {
	set, err := c.Exec(ctx, fmt.Sprintf("%s WHERE pg_backend_pid() = %d", settings, c.PID())).ReadAll()
	if err != nil || len(set[0].Rows) == 1 { // a direct connection
		return err
	}
	shared, err := t.sharesSessions(ctx, c)
	switch {
	case err != nil:
		return err
	case shared:
		return database.ErrPooled
	}
	return c.Exec(ctx, settings).Close()
}

// poolPatience is how long a pool may take to give a second session.
const poolPatience = 3 * time.Second

// sharesSessions reports whether the session of a connection is given to another one that begins a
// transaction, or changes because that has it.
func (t *Target) sharesSessions(ctx context.Context, c *pgconn.PgConn) (bool, error) {
	session, err := sessionOf(ctx, c, "")
	if err != nil {
		return false, err
	}
	patience, cancel := context.WithTimeout(ctx, poolPatience)
	defer cancel()
	config := t.config.Config.Copy()
	config.AfterConnect = nil
	other, err := pgconn.ConnectConfig(patience, config)
	if err != nil { // the pool has no session left
		return false, ctx.Err()
	}
	defer other.Close(context.Background())
	others, err := sessionOf(patience, other, "BEGIN; ")
	if err != nil || others == session {
		return others == session, ctx.Err()
	}
	again, err := sessionOf(ctx, c, "")
	return again != session, err
}

// sessionOf returns the id of the server's process, after some statements.
func sessionOf(ctx context.Context, c *pgconn.PgConn, statements string) (int, error) {
	results, err := c.Exec(ctx, statements+"SELECT pg_backend_pid()").ReadAll()
	if err != nil {
		return 0, err
	}
	return strconv.Atoi(string(results[len(results)-1].Rows[0][0]))
}
