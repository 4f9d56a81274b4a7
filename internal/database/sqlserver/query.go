package sqlserver

import (
	"context"
	"errors"

	"ambertray/internal/database"
	"ambertray/internal/table"
)

// errEnough breaks a query off whose first row has come.
var errEnough = errors.New("enough")

// Describe implements database.Querier. The server describes a query when it runs it,
// and is stopped at the first row.
func (t *Target) Describe(ctx context.Context, query string) (list []database.ColumnInfo, err error) {
	err = t.read(ctx, query, func(a *answer) error {
		err := (&rowReader{}).each(a, func() error { return errEnough })
		for i := range a.columns {
			c := &a.columns[i]
			live := c.live()
			info := database.ColumnInfo{Name: c.name, Native: live.native, Nullable: true}
			info.Type, info.Limit, info.Known = live.planned()
			list = append(list, info)
		}
		return err
	})
	if errors.Is(err, errEnough) {
		err = nil
	}
	return list, t.fail("prepare the query", err)
}

// live is a column of an answer as the catalog would describe it.
func (c *wireColumn) live() *liveColumn {
	l := &liveColumn{native: c.declaration(), length: c.size, precision: c.precision, scale: c.scale}
	if c.size == longSize {
		l.length = -1
	}
	if c.page != nil {
		l.page = c.page.Number
	}
	l.typ = l.native
	for i, r := range l.native {
		if r == '(' {
			l.typ = l.native[:i]
			break
		}
	}
	return l
}

// QueryRows implements database.Querier.
func (t *Target) QueryRows(ctx context.Context, query string, tab *table.Table, each database.EachRow) error {
	return t.eachRow(ctx, "the query", query, tab, each)
}
