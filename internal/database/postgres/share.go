package postgres

import (
	"context"

	"ambertray/internal/dialect"
)

// SignAs implements database.Sharer.
func (t *Target) SignAs(ctx context.Context, name string) error {
	_, err := t.Exec(ctx, "SET application_name = "+dialect.PostgreSQL.Literal(name))
	return err
}

// EndSessions implements database.Sharer.
func (t *Target) EndSessions(ctx context.Context, name string) error {
	_, err := t.Query(ctx, "SELECT pg_terminate_backend(pid)::text FROM pg_stat_activity WHERE datname = current_database() AND usename = current_user AND application_name = "+dialect.PostgreSQL.Literal(name))
	return err
}
