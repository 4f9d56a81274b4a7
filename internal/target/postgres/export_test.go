package postgres

import "context"

// Encoder lets tests look at the wire format.
var Encoder = encoder{}

// Exec lets tests set a database up.
func (t *Target) Exec(ctx context.Context, sql string) error {
	_, err := t.conn.Exec(ctx, sql)
	return err
}
