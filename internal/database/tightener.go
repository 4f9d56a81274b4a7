package database

import (
	"context"
	"slices"
	"strings"

	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

type (
	// Tightener changes the types of columns of an existing table.
	Tightener interface {
		// Tighten returns how it does so, and adds a key unless that is empty. It takes
		// the columns that it can change, and says of the others why it cannot.
		Tighten(ctx context.Context, table string, columns []Tightened, key []string) (*Steps, map[string]string, error)
		// Caster returns how the server reads texts.
		Caster() *dialect.Caster
	}
	// Tightened is a column of an existing table and what it is to be.
	Tightened struct {
		// Column has the new type, the rules by which its values are read, and whether it
		// may be NULL.
		table.Column
		Was ColumnInfo
		// Retyped says that the type changes; otherwise only NOT NULL does.
		Retyped bool
		Width   int // in characters, of texts that are all of one width; else 0
	}
	// Steps are the statements that change a table.
	Steps struct {
		// Transaction says that they are one. Otherwise Undo takes back what Before has
		// done, all of it.
		Transaction bool
		Lock        string            // keeps others from the table, before its rows are read
		Before      []string          // until the new values can be read
		Table       string            // which then has them
		Names       map[string]string // of columns that have other names in it
		After       []string
		Undo        []string
		Release     []string // takes back Lock, and what else only was for the change
		NoKey       bool     // the table cannot have the key
	}
)

// Rewritten reports whether values are read from text.
func (t *Tightened) Rewritten() bool {
	return t.Retyped && t.Was.Type != nil && t.Was.Type.Textual() && !t.Type.Textual()
}

// Rounded reports whether a server would round values that are more exact than the new type.
func (t *Tightened) Rounded() bool {
	return t.Retyped && t.Was.Type != nil && (t.Was.Type.Kind == table.Decimal || t.Was.Type.HasClock())
}

// Null is the end of a column's definition.
func (t *Tightened) Null() string {
	if t.Nullable {
		return " NULL"
	}
	return " NOT NULL"
}

// Script returns the statements for a person to run.
func (s *Steps) Script(d *dialect.Dialect) (list []string) {
	list = append(list, d.ScriptHead()...)
	if s.Lock != "" {
		list = append(list, s.Lock)
	}
	list = append(list, s.Before...)
	for i, after := range s.After {
		if i == 0 && s.Undo != nil {
			undo := strings.Join(s.Undo, ";\n") + ";"
			after = "-- If this fails, take back what was added:\n-- " + strings.ReplaceAll(undo, "\n", "\n-- ") + "\n" + after
		}
		list = append(list, after)
	}
	return append(append(list, d.ScriptTail()...), s.Release...)
}

// Partitioning is why a column keeps its type that decides in which partition a row is.
const Partitioning = "the partitioning uses it"

// KeyLacks reports whether a key lacks a column that is left because of the partitioning. A primary key
// must have every such column.
func KeyLacks(key []string, why map[string]string) bool {
	for column, reason := range why {
		if len(key) > 0 && reason == Partitioning && !slices.Contains(key, column) {
			return true
		}
	}
	return false
}
