package sqlserver

import (
	"context"
	"fmt"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// stage makes a temporary table with the loaded columns of a table, and a number of
// its rows in the order in which they are sent. Its texts have the collations of the
// table, not that of the database for temporary tables.
func (x *tx) stage(ctx context.Context, tab *table.Table, name string) error {
	live, err := x.t.columns(ctx, tab.Name)
	if err != nil {
		return err
	}
	d := dialect.SQLServer
	lines := []string{d.Quote(database.RowOfStage) + " bigint IDENTITY(1,1) NOT NULL"}
	for _, c := range tab.Loaded() {
		for i := range live {
			if !strings.EqualFold(live[i].name, c.Name) {
				continue
			}
			line := d.Quote(c.Name) + " " + live[i].native
			if live[i].collation != "" {
				line += " COLLATE " + live[i].collation
			}
			lines = append(lines, line+" NULL")
		}
	}
	err = x.exec(ctx, "DROP TABLE IF EXISTS "+d.Quote(name), fmt.Sprintf("CREATE TABLE %s (%s)", d.Quote(name), strings.Join(lines, ", ")))
	return x.t.fail("make a temporary table", err)
}

// temporary is the name of a temporary table for a name.
func temporary(name string) string { return "#" + name }

// Stage implements database.StagingTx.
func (x *tx) Stage(ctx context.Context, tab *table.Table, name string) error {
	delete(x.t.stages, name)
	err := x.stage(ctx, tab, temporary(name))
	if err != nil {
		return err
	}
	x.t.stages[name] = temporary(name)
	return nil
}
