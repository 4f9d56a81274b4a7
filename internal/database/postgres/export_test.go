package postgres

import (
	"context"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// ReadNumeric lets tests read what the server sends for a column of that scale.
func ReadNumeric(data []byte, scale int) (text string, untyped bool) {
	v := value.Value{Scale: 99, Wide: true, Text: []byte("before")}
	readNumeric(data, scale, &v)
	if v.Untyped {
		return string(v.Text), true
	}
	return string(v.AppendDecimal(nil)), false
}

// LimitJSON lets tests compare it with the server.
var LimitJSON = jsonb.Limit()

// Field returns the text that a text of a column's type is sent as, and what is hashed of it in
// the end; why is the reason if it is rejected.
func Field(native, text string) (sent, hashed, why string) {
	t, limit, _ := ownTypeOf(native)
	own := ownTypes[t.Size]
	canonical, why := limit.Text([]byte(text))
	if why != "" {
		return "", "", why
	}
	return string(canonical), string(own.text(own.encode(nil, canonical))), ""
}

// Encoder lets tests check the wire format.
var Encoder = encoder{}

// Publish gives a staging table the name and the comment of an existing table.
func Publish(ctx context.Context, t *Target, staged string, tab *table.Table) error {
	x := &tx{t: t, staging: &stage{name: staged, table: tab, replaces: true}}
	err := x.publish(ctx)
	if err != nil {
		return err
	}
	return x.tx.Commit(ctx)
}
