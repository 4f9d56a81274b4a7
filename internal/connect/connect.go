// Package connect opens the target that a URL names. It is the one list of the
// databases that there are.
package connect

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"

	"ambertray/internal/target"
	"ambertray/internal/target/mysql"
	"ambertray/internal/target/postgres"
	"ambertray/internal/target/sqlite"
)

// UnknownError says that a URL names no target.
type UnknownError struct{ Scheme string }

func (e *UnknownError) Error() string {
	return fmt.Sprintf("unknown kind of target %q; there are FILE.db, sqlite:FILE, postgres://USER@HOST/DATABASE and mysql://USER@HOST/DATABASE", e.Scheme)
}

// Open opens the target. create lets a file that is not there be made.
func Open(ctx context.Context, url string, create bool) (target.Target, error) {
	scheme, rest, ok := strings.Cut(url, ":")
	switch {
	case ok && scheme == "sqlite":
		return open(sqlite.Open(strings.TrimPrefix(rest, "//"), create))
	case ok && (scheme == "postgres" || scheme == "postgresql"):
		return open(postgres.Open(ctx, url))
	case ok && (scheme == "mysql" || scheme == "mariadb"):
		return open(mysql.Open(ctx, url))
	case filepath.Ext(url) == ".db" || filepath.Ext(url) == ".sqlite":
		return open(sqlite.Open(url, create))
	case !ok: // not a word of it is shown that may be a password
		return nil, &UnknownError{url}
	}
	return nil, &UnknownError{scheme + ":"}
}

// open keeps a nil pointer from becoming a target that is not nil.
func open[T target.Target](t T, err error) (target.Target, error) {
	if err != nil {
		return nil, err
	}
	return t, nil
}
