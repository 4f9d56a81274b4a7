package mysql

import (
	"context"
	"fmt"
	"regexp"
	"slices"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

var (
	_ database.Stored   = (*Target)(nil)
	_ database.Depended = (*Target)(nil)
)

// place is the condition that a row of a catalog is about a table.
func place(name string) string {
	schema, bare := split(name)
	d := dialect.MySQL
	return fmt.Sprintf("table_schema = coalesce(nullif(%s, ''), database()) AND table_name = %s", d.Literal(schema), d.Literal(bare))
}

// Storage implements database.Stored. Spider names the servers of a table in the
// comments of it and its partitions.
func (t *Target) Storage(ctx context.Context, name string) (database.Storage, error) {
	rows, err := t.Query(ctx, `SELECT coalesce(t.engine, ''), coalesce(e.transactions, 'YES') = 'NO', coalesce(e.savepoints, 'YES') = 'NO', t.table_comment FROM
		(SELECT engine, table_comment FROM information_schema.tables WHERE `+place(name)+`) t LEFT JOIN information_schema.engines e ON e.engine = t.engine`)
	if err != nil || len(rows) == 0 {
		return database.Storage{}, err
	}
	if rows[0][0] == "" {
		return t.viewStorage(ctx, name)
	}
	s := database.Storage{Engine: rows[0][0], NoTransactions: rows[0][1] == "1", NoSavepoints: rows[0][2] == "1"}
	if s.Engine != spider {
		return s, nil
	}
	partitions, err := t.Query(ctx, "SELECT partition_comment FROM information_schema.partitions WHERE "+place(name)+" ORDER BY partition_ordinal_position")
	if err != nil {
		return s, err
	}
	for _, comment := range append(partitions, []string{rows[0][3]}) {
		for _, m := range spiderServer.FindAllStringSubmatch(comment[0], -1) {
			if !slices.Contains(s.Servers, m[1]) {
				s.Servers = append(s.Servers, m[1])
			}
		}
	}
	if s.Servers == nil {
		s.Servers = []string{"the data nodes"}
	}
	return s, nil
}

// viewStorage returns the storage of the tables that a view shows: the first that limits
// a load.
func (t *Target) viewStorage(ctx context.Context, name string) (database.Storage, error) {
	rows, err := t.Query(ctx, "SELECT view_definition FROM information_schema.views WHERE "+place(name))
	if err != nil || len(rows) == 0 {
		return database.Storage{}, err
	}
	for _, m := range viewedTable.FindAllStringSubmatch(rows[0][0], -1) {
		s, err := t.Storage(ctx, m[1]+"."+m[2])
		if err != nil || s.NoTransactions || s.NoSavepoints || s.Servers != nil {
			return s, err
		}
	}
	return database.Storage{}, nil
}

// viewedTable finds the tables in the definition of a view, as the server writes it.
var viewedTable = regexp.MustCompile("(?i)\\b(?:from|join) \\(*`([^`.]+)`\\.`([^`.]+)`")

// storageFacts names the tables whose engine limits a load.
func (t *Target) storageFacts(ctx context.Context) ([]database.Fact, error) {
	rows, err := t.Query(ctx, `SELECT table_name FROM information_schema.tables t JOIN information_schema.engines e ON e.engine = t.engine
		WHERE table_schema = database() AND (e.transactions = 'NO' OR e.savepoints = 'NO') ORDER BY table_name`)
	if err != nil {
		return nil, err
	}
	var names []string
	for _, row := range rows {
		names = append(names, row[0])
	}
	return database.StorageFacts(ctx, t, names)
}

// joinInBatches has the server look up the rows of a table on other servers in batches when
// it joins them, and not one by one.
func (x *tx) joinInBatches(ctx context.Context, s *database.Storage) error {
	if s.Servers == nil {
		return nil
	}
	return x.t.fail("set join_cache_level", x.t.exec(ctx, "SET join_cache_level = 6, optimizer_switch = 'mrr=on,mrr_cost_based=off', join_buffer_size = 4194304, join_buffer_space_limit = 16777216"))
}

const spider = "SPIDER"

var spiderServer = regexp.MustCompile(`(?i)\b(?:srv|server|host) "([^"]+)"`)

// notMade leaves out the key that MySQL adds to a table without one, if sql_generate_invisible_primary_key is ON.
const notMade = "NOT (column_name = 'my_row_id' AND extra = 'auto_increment INVISIBLE')"

// Dependents implements database.Depended. Rights are kept by name, and views find
// the table again by its name. MariaDB has NULL for a column without a default as a word. The names are
// cast because their collations differ on a server that keeps names in lower case.
func (t *Target) Dependents(ctx context.Context, tab *table.Table) (list []string, err error) {
	own := dialect.MySQL.OwnNames(tab)
	schema, bare := split(tab.Name)
	d := dialect.MySQL
	referred := fmt.Sprintf("referenced_table_schema = coalesce(nullif(%s, ''), database()) AND referenced_table_name = %s", d.Literal(schema), d.Literal(bare))
	return database.ListDependents(ctx, t, []database.Kind{
		{What: "index", Query: "SELECT DISTINCT CAST(index_name AS CHAR) FROM information_schema.statistics WHERE index_name <> 'PRIMARY' AND " + place(tab.Name), Own: own},
		{What: "foreign key", Query: "SELECT DISTINCT CAST(column_name AS CHAR) FROM information_schema.key_column_usage WHERE referenced_table_name IS NOT NULL AND " + place(tab.Name), Own: own},
		{What: "foreign key from table", Query: "SELECT DISTINCT CAST(concat(table_schema, '.', table_name) AS CHAR) FROM information_schema.key_column_usage WHERE " + referred},
		{What: "check", Query: "SELECT CAST(constraint_name AS CHAR) FROM information_schema.table_constraints WHERE constraint_type = 'CHECK' AND " + place(tab.Name)},
		{What: "default of", Query: "SELECT CAST(column_name AS CHAR) FROM information_schema.columns WHERE (coalesce(column_default, 'NULL') <> 'NULL' OR extra NOT IN ('', 'INVISIBLE')) AND " + notMade + " AND " + place(tab.Name), Own: database.Defaults(tab)},
		{What: "partition", Query: "SELECT DISTINCT CAST(partition_name AS CHAR) FROM information_schema.partitions WHERE partition_name IS NOT NULL AND " + place(tab.Name)},
		{What: "storage engine", Query: "SELECT CAST(engine AS CHAR) FROM information_schema.tables WHERE engine <> 'InnoDB' AND " + place(tab.Name)},
		{What: "history of", Query: "SELECT CAST(table_name AS CHAR) FROM information_schema.tables WHERE table_type = 'SYSTEM VERSIONED' AND " + place(tab.Name)},
		{What: "trigger", Query: fmt.Sprintf("SELECT CAST(trigger_name AS CHAR) FROM information_schema.triggers WHERE event_object_schema = coalesce(nullif(%s, ''), database()) AND event_object_table = %s", d.Literal(schema), d.Literal(bare))},
	})
}

// Cascades implements database.Cascader.
func (t *Target) Cascades(ctx context.Context, name string) ([]string, error) {
	schema, bare := split(name)
	d := dialect.MySQL
	of := "coalesce(nullif(" + d.Literal(schema) + ", ''), database())"
	return database.ListDependents(ctx, t, []database.Kind{
		{What: "trigger", Query: "SELECT CAST(trigger_name AS CHAR) FROM information_schema.triggers WHERE event_manipulation = 'DELETE' AND event_object_schema = " + of + " AND event_object_table = " + d.Literal(bare)},
		{What: "foreign key from table", Query: "SELECT DISTINCT CAST(table_name AS CHAR) FROM information_schema.referential_constraints WHERE delete_rule IN ('CASCADE', 'SET NULL', 'SET DEFAULT') AND unique_constraint_schema = " + of +
			" AND referenced_table_name = " + d.Literal(bare) + " AND NOT (table_name = referenced_table_name AND constraint_schema = unique_constraint_schema)"},
	})
}
