package mysql

import (
	"context"
	"database/sql"
	"fmt"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/table"
)

// Describe implements database.Querier.
func (t *Target) Describe(ctx context.Context, query string) (list []database.ColumnInfo, err error) {
	const op = "prepare the query"
	rows, err := t.conn.QueryContext(ctx, "SELECT * FROM ("+query+"\n) q LIMIT 0")
	if err != nil { // it may have two columns of one name, and is run as it is
		rows, err = t.conn.QueryContext(ctx, query)
	}
	if err != nil {
		return nil, t.fail(op, err)
	}
	defer rows.Close()
	types, err := rows.ColumnTypes()
	if err != nil {
		return nil, t.fail(op, err)
	}
	for _, c := range types {
		info := database.ColumnInfo{Name: c.Name(), Native: nativeOf(c), Nullable: true}
		info.Type, info.Limit, info.Known = typeOf(info.Native)
		info.Binary = !info.Known && binaryForm.MatchString(info.Native)
		list = append(list, info)
	}
	return list, rows.Err()
}

// nativeOf writes the type of a column as the server would.
func nativeOf(c *sql.ColumnType) string {
	name := strings.ToLower(c.DatabaseTypeName())
	unsigned, isUnsigned := strings.CutPrefix(name, "unsigned ")
	if isUnsigned {
		name = unsigned + " unsigned"
	}
	precision, scale, ok := c.DecimalSize()
	if ok && name == "decimal" {
		return fmt.Sprintf("decimal(%d,%d)", precision, scale)
	}
	return name
}

// QueryRows implements database.Querier.
func (t *Target) QueryRows(ctx context.Context, query string, tab *table.Table, each database.EachRow) error {
	return t.read(ctx, "the query", query, tab, each)
}
