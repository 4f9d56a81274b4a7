package postgres

import (
	"errors"
	"io"
	"net"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"

	"ambertray/internal/database"
)

// fail says which condition an error of the server or the driver is.
func (t *Target) fail(op string, err error) error {
	return database.Explain(t.name, op, err, explain)
}

func explain(e *database.Error) {
	err := e.Err
	var pg *pgconn.PgError
	var network net.Error
	switch {
	case errors.Is(err, database.ErrPooled):
		e.Kind, e.Err = database.ErrPooled, nil
	case errors.As(err, &pg):
		e.Err = serverError{pg}
		e.Kind = conditions[pg.Code]
		if e.Kind == nil && strings.HasPrefix(pg.Code, "28") {
			e.Kind = database.ErrLogin
		}
	case e.Untrusted():
	case errors.As(err, &network), errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		e.Kind, e.Err = database.ErrUnreachable, database.Innermost(err)
	}
}

// serverError is what the server says, in its own words only.
type serverError struct{ pg *pgconn.PgError }

func (e serverError) Error() string { return e.pg.Message }
func (e serverError) Unwrap() error { return e.pg }

// programLimit is the SQLSTATE of a row that no page holds, and of a value that no index holds.
const programLimit = "54000"

// conditions are the SQLSTATEs that mean something to callers.
var conditions = map[string]error{
	"42P07": database.ErrExists, "42P01": database.ErrNoTable, "42809": database.ErrNotTable, "42501": database.ErrPermission,
	"3D000": database.ErrNoDatabase, "3F000": database.ErrNoSchema, "53100": database.ErrFull, "55P03": database.ErrLocked,
	"40P01": database.ErrConflict, "40001": database.ErrConflict,
	programLimit: database.ErrTooLong,
	"25006":      database.ErrReadOnly, "57P03": database.ErrUnreachable, "53300": database.ErrUnreachable, "57P01": database.ErrUnreachable,
}
