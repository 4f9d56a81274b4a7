package load

import (
	"context"
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// MatchTable gives a plan that was drafted from a source the columns of an existing
// table that have their names, with the types of the table. It leaves out the others
// of the source and returns their headings.
func MatchTable(ctx context.Context, t *tray.Tray, to database.Target) (without []string, err error) {
	live, err := database.Columns(ctx, to, t.Table.Name)
	if err != nil {
		return nil, err
	}
	if len(live) == 0 {
		return nil, &database.Error{Target: to.Name(), Op: "read " + t.Table.Name, Kind: database.ErrNoTable}
	}
	key := map[string]string{} // the columns of the draft and of the table
	for i := range t.Table.Columns {
		c := &t.Table.Columns[i]
		at := slices.IndexFunc(live, func(l database.ColumnInfo) bool { return l.Known && strings.EqualFold(l.Name, c.Name) })
		switch {
		case c.LeaveOut:
		case at < 0:
			without = append(without, c.From)
			*c = table.Column{From: c.From, LeaveOut: true}
		default:
			key[c.Name] = live[at].Name
			matchColumn(c, &live[at], to)
		}
	}
	for i, name := range t.Table.Key {
		if t.Table.Key[i] = key[name]; t.Table.Key[i] == "" {
			t.Table.Key = nil
			break
		}
	}
	return without, nil
}

// matchColumn gives a column the type of the table's. Where the draft has taken its
// values for something else, they are read as that type.
func matchColumn(c *table.Column, l *database.ColumnInfo, to database.Target) {
	info := *l
	info.Generated = false // it may be compared
	why := fitColumn(c, &info, to.Dialect())
	if why != "" && l.Type != nil {
		*c = table.Column{From: c.From, Name: l.Name, Type: *l.Type, NullWords: c.NullWords}
		if c.Type.Summable() { // some of its values are no numbers, so that the draft has not settled this
			c.Thousands = ","
		}
	}
	c.Name, c.Nullable = l.Name, true
}
