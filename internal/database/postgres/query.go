package postgres

import (
	"context"
	"fmt"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/table"
)

// Describe implements database.Querier.
func (t *Target) Describe(ctx context.Context, query string) (list []database.ColumnInfo, err error) {
	described, err := t.conn.Prepare(ctx, "", query)
	if err != nil {
		return nil, t.fail("prepare the query", err)
	}
	for _, f := range described.Fields {
		named, err := t.Query(ctx, fmt.Sprintf("SELECT format_type(%d, %d)", f.DataTypeOID, f.TypeModifier))
		if err != nil {
			return nil, err
		}
		c := database.ColumnInfo{Name: f.Name, Native: named[0][0], Nullable: true}
		c.Type, c.Limit, c.Known = typeOf(c.Native)
		list = append(list, c)
	}
	return list, nil
}

// QueryRows implements database.Querier. Its columns are numbered, as those of a
// query may have no names, or the same.
func (t *Target) QueryRows(ctx context.Context, query string, tab *table.Table, each database.EachRow) error {
	numbered, names := &table.Table{Name: "the query"}, []string{}
	for i, c := range tab.Loaded() {
		c.Name = fmt.Sprintf("c%d", i)
		numbered.Columns, names = append(numbered.Columns, c), append(names, c.Name)
	}
	return t.rows(ctx, numbered, "("+query+"\n) AS q("+strings.Join(names, ", ")+")", each)
}
