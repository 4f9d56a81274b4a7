package mysql

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/go-sql-driver/mysql"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// Empty implements database.Emptier. Where rows are loaded aside, the transaction in which
// they are copied empties the table.
func (x *tx) Empty(ctx context.Context, tab *table.Table) error {
	storage, err := x.t.Storage(ctx, tab.Name)
	if err != nil {
		return err
	}
	x.empties = storage.NoSavepoints && !storage.NoTransactions
	if x.empties {
		return nil
	}
	return x.t.fail("empty table "+tab.Name, x.deleteAll(ctx, tab))
}

// deleteAll deletes the rows of a table. If others of its rows refer to them, these are deleted first, because the
// server checks each row at once.
func (x *tx) deleteAll(ctx context.Context, tab *table.Table) error {
	all := "DELETE FROM " + dialect.MySQL.QuoteTable(tab.Name)
	failed := x.t.exec(ctx, all)
	var refused *mysql.MySQLError
	if !errors.As(failed, &refused) || refused.Number != isReferenced {
		return failed
	}
	keys, err := x.t.ForeignKeys(ctx, tab.Name)
	if err != nil {
		return err
	}
	leaves, own := withoutChildren(tab, keys)
	if !own {
		return failed
	}
	for deleted := int64(1); deleted > 0; {
		deleted, err = x.t.Exec(ctx, leaves)
		if err != nil {
			return err
		}
	}
	return x.t.exec(ctx, all) // which fails for rows that refer to themselves, or to each other in a circle
}

// withoutChildren returns the statement that deletes the rows of a table to which no row of it refers, and whether it has
// foreign keys to itself.
func withoutChildren(tab *table.Table, keys []database.ForeignKey) (statement string, own bool) {
	d := dialect.MySQL
	name := d.QuoteTable(tab.Name)
	joins, childless := "", []string{}
	for i, k := range keys {
		if !k.Own {
			continue
		}
		child := fmt.Sprintf("c%d", i)
		var same []string
		for n, column := range k.Columns {
			same = append(same, child+"."+d.Quote(column)+" = p."+d.Quote(k.To[n]))
		}
		joins += fmt.Sprintf(" LEFT JOIN %s %s ON %s", name, child, strings.Join(same, " AND "))
		childless = append(childless, child+"."+d.Quote(k.Columns[0])+" IS NULL")
	}
	return fmt.Sprintf("DELETE p FROM %s p%s WHERE %s", name, joins, strings.Join(childless, " AND ")), len(childless) > 0
}
