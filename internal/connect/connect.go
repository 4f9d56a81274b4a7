// Package connect opens the target that a URL or a name means. Its registry is the
// one list of the kinds of databases, from which help and errors follow.
package connect

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/database/mysql"
	"ambertray/internal/database/postgres"
	"ambertray/internal/database/sqlite"
	"ambertray/internal/database/sqlserver"
	"ambertray/internal/dialect"
)

// Kind is a kind of database.
type Kind struct {
	Dialect    *dialect.Dialect
	Schemes    []string // of its URLs, the usual one first
	Extensions []string // of its files
	Example    string   // how a target is written
	open       func(ctx context.Context, url string, o Options) (database.Target, error)
	// create creates the database of a URL, unless it exists. It is nil where opening
	// does that.
	create func(ctx context.Context, url, password string) (*database.Made, error)
}

// registry lists the kinds, that of files first.
var registry = []Kind{
	{
		Dialect: dialect.SQLite, Schemes: []string{"sqlite"}, Extensions: []string{".db", ".sqlite"}, Example: "FILE.db",
		open: func(_ context.Context, url string, o Options) (database.Target, error) {
			return opened(sqlite.Open(strings.TrimPrefix(strings.TrimPrefix(url, "sqlite:"), "//"), o.Create))
		},
	},
	{
		Dialect: dialect.PostgreSQL, Schemes: []string{"postgres", "postgresql"}, Example: "postgres://USER@HOST/DATABASE",
		open: func(ctx context.Context, url string, o Options) (database.Target, error) {
			return opened(postgres.Open(ctx, url, o.Password))
		},
		create: postgres.CreateDatabase,
	},
	{
		Dialect: dialect.MySQL, Schemes: []string{"mysql", "mariadb"}, Example: "mysql://USER@HOST/DATABASE",
		open: func(ctx context.Context, url string, o Options) (database.Target, error) {
			return opened(mysql.Open(ctx, url, o.Password))
		},
		create: mysql.CreateDatabase,
	},
	{
		Dialect: dialect.SQLServer, Schemes: []string{"sqlserver"}, Example: "sqlserver://USER@HOST?database=NAME",
		open: func(ctx context.Context, url string, o Options) (database.Target, error) {
			return opened(sqlserver.Open(ctx, url, o.Password))
		},
		create: sqlserver.CreateDatabase,
	},
}

// Kinds returns the kinds of databases that can be loaded into.
func Kinds() []Kind { return slices.Clone(registry) }

// Examples says how targets of each kind are written.
func Examples() string {
	var list []string
	for _, k := range registry {
		list = append(list, k.Example)
	}
	return strings.Join(list[:len(list)-1], ", ") + " or " + list[len(list)-1]
}

// UnknownError says that a word names no target.
type UnknownError struct {
	Word  string
	Names []string // of the targets in the config file
}

func (e *UnknownError) Error() string {
	text := fmt.Sprintf("unknown target %q: write %s", e.Word, Examples())
	if len(e.Names) > 0 {
		text += ", or the name " + strings.Join(e.Names, ", ")
	}
	return text
}

// Options say how to open a target.
type Options struct {
	Create   bool   // create the file if it does not exist
	Password string // instead of any that the URL or the customary places have
}

// Open opens the target that a URL means, or the name of one in the user's
// config file.
func Open(ctx context.Context, word string, o Options) (database.Target, error) {
	url, err := Resolve(word)
	if err != nil {
		return nil, err
	}
	return kindOf(url).open(ctx, url, o)
}

// CreateDatabase creates the database that a word means, unless it exists: then it
// returns nil.
func CreateDatabase(ctx context.Context, word, password string) (*database.Made, error) {
	url, err := Resolve(word)
	if err != nil {
		return nil, err
	}
	create := kindOf(url).create
	if create == nil {
		return nil, nil
	}
	return create(ctx, url, password)
}

// Resolve returns the URL or file that a word means.
func Resolve(word string) (string, error) {
	if kindOf(word) != nil {
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
	scheme, _, ok := strings.Cut(word, ":")
	if ok { // the rest is not shown, because it may have a password
		word = scheme + ":"
	}
	return "", &UnknownError{word, names}
}

// kindOf returns the kind of database that a URL or path means, or nil.
func kindOf(word string) *Kind {
	scheme, _, isURL := strings.Cut(word, ":")
	for i := range registry {
		k := &registry[i]
		if isURL && slices.Contains(k.Schemes, scheme) || slices.Contains(k.Extensions, filepath.Ext(word)) {
			return k
		}
	}
	return nil
}

// opened keeps a nil pointer from becoming a target that is not nil.
func opened[T database.Target](t T, err error) (database.Target, error) {
	if err != nil {
		return nil, err
	}
	return t, nil
}
