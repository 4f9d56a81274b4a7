package database

import (
	"fmt"
	"strings"

	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
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
	var filled []string // NULL repeats nothing
	for _, column := range c.Unique {
		filled = append(filled, "s."+d.Quote(column)+" IS NOT NULL")
	}
	filledRows := fmt.Sprintf("(SELECT s.* FROM %s s WHERE %s)", stage, strings.Join(filled, " AND "))
	return fmt.Sprintf("s.%s IN (%s)", row, Repeated(d, c.Unique, row, filledRows, table))
}
