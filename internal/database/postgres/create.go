package postgres

import (
	"context"
	"errors"
	"fmt"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

// maintenance is the database that every server has, from which others are made.
const maintenance = "postgres"

// CreateDatabase creates the database of a URL in UTF-8, unless it exists: then it
// returns nil.
func CreateDatabase(ctx context.Context, url, password string) (*database.Made, error) {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return nil, &database.Error{Target: "PostgreSQL", Op: "read the URL", Err: hideSecrets(err)}
	}
	name := config.Database
	server, err := openAs(ctx, url, password, maintenance)
	if err != nil {
		return nil, err
	}
	defer server.Close()
	d := dialect.PostgreSQL
	found, err := server.Query(ctx, "SELECT 1 FROM pg_database WHERE datname = "+d.Literal(name))
	if err != nil || len(found) > 0 {
		return nil, err
	}
	_, err = server.Exec(ctx, "CREATE DATABASE "+d.Quote(name)+" ENCODING 'UTF8' TEMPLATE template0")
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "42P04" { // another program was quicker
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	made := &database.Made{What: fmt.Sprintf("database %s was created on %s", name, config.Host)}
	made.Undo = func(ctx context.Context) error { return dropUnused(ctx, url, password, name) }
	facts, err := server.Query(ctx, "SELECT pg_encoding_to_char(encoding), datcollate FROM pg_database WHERE datname = "+d.Literal(name))
	if err == nil {
		made.What += fmt.Sprintf(", encoding %s, collation %s", facts[0][0], facts[0][1])
	}
	return made, err
}

// openAs opens another database of the server.
func openAs(ctx context.Context, url, password, name string) (*Target, error) {
	return open(ctx, url, password, func(c *pgx.ConnConfig) { c.Database = name })
}

// dropUnused drops a database in which nothing was made. The server refuses while
// others are connected to it.
func dropUnused(ctx context.Context, url, password, name string) error {
	t, err := openAs(ctx, url, password, name)
	if err != nil {
		return err
	}
	found, err := t.Query(ctx, "SELECT count(*) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname <> 'information_schema' AND n.nspname NOT LIKE 'pg\\_%'")
	err = errors.Join(err, t.Close())
	if err != nil || found[0][0] != "0" {
		return err
	}
	server, err := openAs(ctx, url, password, maintenance)
	if err != nil {
		return err
	}
	_, err = server.Exec(ctx, "DROP DATABASE "+dialect.PostgreSQL.Quote(name))
	return errors.Join(err, server.Close())
}
