package database

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ambertray/internal/refusal"
)

// Refuser removes rows from a staging table, and lists the records that they were.
type Refuser struct {
	DB interface {
		Exec(ctx context.Context, statement string) (rows int64, err error)
		Query(ctx context.Context, query string) ([][]string, error)
	}
	Stage   string // as statements write it
	Row     string // how the number of a row of it is written
	At      *Numbers
	Refused refusal.List
}

// rowsPerDelete is how many rows one statement removes.
const rowsPerDelete = 1000

// RefuseAll refuses the rows whose numbers a query returns, in order.
func (r *Refuser) RefuseAll(ctx context.Context, query string, why refusal.Reason) error {
	rows, err := r.DB.Query(ctx, query)
	if err != nil {
		return err
	}
	numbers := make([]int64, len(rows))
	for i, row := range rows {
		numbers[i], err = strconv.ParseInt(row[0], 10, 64)
		if err != nil {
			return err
		}
	}
	return r.Refuse(ctx, numbers, why)
}

// Refuse refuses rows by their numbers.
func (r *Refuser) Refuse(ctx context.Context, numbers []int64, why refusal.Reason) error {
	for some := range slices.Chunk(numbers, rowsPerDelete) {
		var list []string
		for _, n := range some {
			list = append(list, strconv.FormatInt(n, 10))
		}
		statement := fmt.Sprintf("DELETE FROM %s WHERE %s IN (%s)", r.Stage, r.Row, strings.Join(list, ", "))
		_, err := r.DB.Exec(ctx, statement)
		if err != nil {
			return err
		}
		for _, n := range some {
			r.Refused.Add(refusal.Refusal{Where: r.At.Record(n), Columns: why.Columns, Reason: why.Reason})
		}
	}
	return nil
}
