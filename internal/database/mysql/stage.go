package mysql

import (
	"context"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
)

// replacedSuffix is added to the name of the staging table for the table whose
// place it has taken, until that is dropped.
const replacedSuffix = "_old"

// removeLeftOver removes what loads of a table that were killed have left: their
// staging tables, and tables whose place was taken. It holds the table's lock.
func (x *tx) removeLeftOver(ctx context.Context, identity string) error {
	if !x.t.noLedger {
		published, err := ledger.ResolveStages(ctx, x.t, identity)
		if err != nil {
			return err
		}
		for _, stage := range published {
			err := x.t.exec(ctx, "DROP TABLE IF EXISTS "+dialect.MySQL.QuoteTable(stage+replacedSuffix))
			if err != nil {
				return x.t.fail("drop a table that was replaced", err)
			}
		}
	}
	schema, _, _ := strings.Cut(identity, ".")
	const query = "SELECT table_name FROM information_schema.tables WHERE table_schema = ? AND table_name LIKE 'ambertray\\\\_stage\\\\_%' AND table_comment = ?"
	rows, err := x.t.conn.QueryContext(ctx, query, schema, database.StageMark(identity))
	if err != nil {
		return x.t.fail("look for staging tables", err)
	}
	var names []string
	for rows.Next() {
		var name string
		err := rows.Scan(&name)
		if err != nil {
			return x.t.fail("look for staging tables", err)
		}
		names = append(names, name)
	}
	err = rows.Err()
	if err != nil {
		return x.t.fail("look for staging tables", err)
	}
	for _, name := range names {
		err := x.t.exec(ctx, "DROP TABLE "+dialect.MySQL.Quote(schema)+"."+dialect.MySQL.Quote(name))
		if err != nil {
			return x.t.fail("drop a staging table", err)
		}
	}
	return nil
}

// resolve settles in the ledger what became of the staging table.
func (x *tx) resolve(ctx context.Context) error {
	if x.t.noLedger {
		return nil
	}
	identity, err := x.t.Identity(ctx, x.t.staged)
	if err == nil {
		_, err = ledger.ResolveStages(ctx, x.t, identity)
	}
	return err
}
