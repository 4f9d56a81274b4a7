package mysql

import (
	"context"
	"errors"
	"fmt"

	"github.com/go-sql-driver/mysql"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

// CreateDatabase creates the database of a URL in utf8mb4, unless it exists: then it
// returns nil.
func CreateDatabase(ctx context.Context, address, password string) (*database.Made, error) {
	var name string
	outside := func(c *mysql.Config) {
		if c.DBName != "" {
			name = c.DBName
		}
		c.DBName = ""
	}
	server, err := open(ctx, address, password, outside)
	if err != nil {
		return nil, err
	}
	defer server.Close()
	d := dialect.MySQL
	of := " FROM information_schema.schemata WHERE schema_name = " + d.Literal(name)
	found, err := server.Query(ctx, "SELECT 1"+of)
	if err != nil || len(found) > 0 {
		return nil, err
	}
	_, err = server.Exec(ctx, "CREATE DATABASE "+d.Quote(name)+" CHARACTER SET utf8mb4")
	var refused *mysql.MySQLError
	if errors.As(err, &refused) && refused.Number == 1007 { // another program was quicker
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	made := &database.Made{What: fmt.Sprintf("database %s was created on %s", name, server.host)}
	made.Undo = func(ctx context.Context) error {
		server, err := open(ctx, address, password, outside)
		if err != nil {
			return err
		}
		return errors.Join(server.dropEmptySchema(ctx, name), server.Close())
	}
	facts, err := server.Query(ctx, "SELECT default_character_set_name, default_collation_name"+of)
	if err == nil {
		made.What += fmt.Sprintf(", character set %s, collation %s", facts[0][0], facts[0][1])
	}
	return made, err
}
