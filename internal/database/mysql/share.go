package mysql

import (
	"context"

	"ambertray/internal/dialect"
)

// SignAs implements database.Sharer: the session holds a lock of that name.
func (t *Target) SignAs(ctx context.Context, name string) error {
	_, err := t.Query(ctx, "SELECT get_lock("+dialect.MySQL.Literal(name)+", 0)")
	return err
}

// EndSessions implements database.Sharer.
func (t *Target) EndSessions(ctx context.Context, name string) error {
	holder, err := t.Query(ctx, "SELECT is_used_lock("+dialect.MySQL.Literal(name)+")")
	if err != nil || holder[0][0] == "" {
		return err
	}
	_, err = t.Exec(ctx, "KILL "+holder[0][0])
	return err
}
