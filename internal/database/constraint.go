package database

import (
	"fmt"
	"strings"

	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// Constraint is a constraint of a table that can be checked for all rows of a
// staging table at once.
type Constraint struct {
	refusal.Reason // for refusing rows that violate it
	// Violated is the condition that a row s of the staging table violates it; ""
	// for a unique constraint.
	Violated string
	Unique   []string // the columns of a unique constraint
}

// Condition returns the condition that a row s of a staging table violates the
// constraint. stage is where its rows are taken from, quoted; row is how its
// number is written. Rows of the table itself count too, unless that is "".
func (c *Constraint) Condition(d *dialect.Dialect, row, stage, table string) string {
	if c.Violated != "" {
		return c.Violated
	}
	return fmt.Sprintf("s.%s IN (%s)", row, Repeated(d, c.Unique, row, Filled(d, c.Unique, stage), table))
}

// Filled is what the rows of a staging table that have a value in each of some
// columns are taken from: NULL repeats nothing.
func Filled(d *dialect.Dialect, columns []string, stage string) string {
	var filled []string
	for _, column := range columns {
		filled = append(filled, "s."+d.Quote(column)+" IS NOT NULL")
	}
	return fmt.Sprintf("(SELECT s.* FROM %s s WHERE %s)", stage, strings.Join(filled, " AND "))
}

// Orphans returns the constraint that rows of a staging table refer to existing rows by a foreign key. referred is the
// referenced table, quoted.
func Orphans(d *dialect.Dialect, t *table.Table, k *ForeignKey, referred string) Constraint {
	var terms, same []string
	for i, column := range k.Columns {
		terms, same = append(terms, "s."+d.Quote(column)+" IS NOT NULL"), append(same, "r."+d.Quote(k.To[i])+" = s."+d.Quote(column))
	}
	terms = append(terms, fmt.Sprintf("NOT EXISTS (SELECT 1 FROM %s r WHERE %s)", referred, strings.Join(same, " AND ")))
	return Constraint{Reason: MissingRow(t, k), Violated: strings.Join(terms, " AND ")}
}

// MissingRow returns why a row is refused that refers to no row by a foreign key.
func MissingRow(t *table.Table, k *ForeignKey) refusal.Reason {
	return refusal.Reason{Columns: AtFault(t, k.Columns), Reason: NotInTable(k.Table, k.Name)}
}
