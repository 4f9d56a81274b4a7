package sqlserver

import (
	"context"
	"errors"
	"fmt"

	mssql "github.com/microsoft/go-mssqldb"
	"github.com/microsoft/go-mssqldb/msdsn"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

// maintenance is the database that every server has, from which others are made.
const maintenance = "master"

// databaseExists is the error of a database that another program was quicker to make.
const databaseExists = 1801

// CreateDatabase creates the database of a URL with the server's collation, unless it
// exists: then it returns nil.
func CreateDatabase(ctx context.Context, address, password string) (*database.Made, error) {
	name := ""
	outside := func(c *msdsn.Config) { name, c.Database = c.Database, maintenance }
	server, err := open(ctx, address, password, outside)
	if err != nil {
		return nil, err
	}
	defer server.Close()
	d := dialect.SQLServer
	of := " FROM sys.databases WHERE name = " + d.Literal(name)
	found, err := server.Query(ctx, "SELECT name"+of)
	if err != nil || len(found) > 0 {
		return nil, err
	}
	_, err = server.Exec(ctx, "CREATE DATABASE "+d.Quote(name))
	var refused mssql.Error
	if errors.As(err, &refused) && refused.Number == databaseExists {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	made := &database.Made{What: fmt.Sprintf("database %s was created on %s", name, server.host)}
	made.Undo = func(ctx context.Context) error { return dropUnused(ctx, address, password, name, outside) }
	facts, err := server.Query(ctx, "SELECT collation_name, recovery_model_desc"+of)
	if err == nil && len(facts) == 1 {
		made.What += fmt.Sprintf(", collation %s, recovery model %s", facts[0][0], facts[0][1])
	}
	return made, err
}

// dropUnused drops a database in which nothing was made. The server refuses while
// others are connected to it.
func dropUnused(ctx context.Context, address, password, name string, outside func(*msdsn.Config)) error {
	t, err := Open(ctx, address, password)
	if err != nil {
		return err
	}
	found, err := t.Query(ctx, "SELECT count(*) FROM sys.objects WHERE is_ms_shipped = 0")
	err = errors.Join(err, t.Close())
	if err != nil || found[0][0] != "0" {
		return err
	}
	server, err := open(ctx, address, password, outside)
	if err != nil {
		return err
	}
	_, err = server.Exec(ctx, "DROP DATABASE "+dialect.SQLServer.Quote(name))
	return errors.Join(err, server.Close())
}
