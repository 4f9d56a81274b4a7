// Package connect opens the target that a URL or a name means. It is the one
// list of the databases that there are.
package connect

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/database/mysql"
	"ambertray/internal/database/postgres"
	"ambertray/internal/database/sqlite"
)

// UnknownError says that a word names no target.
type UnknownError struct {
	Word  string
	Names []string // of the targets in the config file
}

func (e *UnknownError) Error() string {
	text := fmt.Sprintf("unknown target %q; there are FILE.db, sqlite:FILE, postgres://USER@HOST/DATABASE and mysql://USER@HOST/DATABASE", e.Word)
	if len(e.Names) > 0 {
		text += ", and by name " + strings.Join(e.Names, ", ")
	}
	return text
}

// Options say how to open a target.
type Options struct {
	Create   bool   // a file that is not there may be made
	Password string // instead of any that the URL or the customary places have
}

// Open opens the target that a URL means, or the name of one in the user's
// config file.
func Open(ctx context.Context, word string, o Options) (database.Target, error) {
	url, err := Resolve(word)
	if err != nil {
		return nil, err
	}
	scheme, rest, _ := strings.Cut(url, ":")
	switch scheme {
	case "sqlite":
		return open(sqlite.Open(strings.TrimPrefix(rest, "//"), o.Create))
	case "postgres", "postgresql":
		return open(postgres.Open(ctx, url, o.Password))
	case "mysql", "mariadb":
		return open(mysql.Open(ctx, url, o.Password))
	}
	return open(sqlite.Open(url, o.Create))
}

// Resolve returns the URL or file that a word means.
func Resolve(word string) (string, error) {
	if isTarget(word) {
		return word, nil
	}
	named, err := Named()
	if err != nil {
		return "", err
	}
	var names []string
	for _, n := range named {
		if n.Name == word {
			return n.URL, nil
		}
		names = append(names, n.Name)
	}
	if scheme, _, ok := strings.Cut(word, ":"); ok { // not a word of the rest is shown, which may be a password
		word = scheme + ":"
	}
	return "", &UnknownError{word, names}
}

// isTarget reports whether a word is a URL that is known here, or the path of a
// database.
func isTarget(word string) bool {
	scheme, _, ok := strings.Cut(word, ":")
	switch scheme {
	case "sqlite", "postgres", "postgresql", "mysql", "mariadb":
		return ok
	}
	return filepath.Ext(word) == ".db" || filepath.Ext(word) == ".sqlite"
}

// open keeps a nil pointer from becoming a target that is not nil.
func open[T database.Target](t T, err error) (database.Target, error) {
	if err != nil {
		return nil, err
	}
	return t, nil
}
