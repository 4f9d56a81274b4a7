package load

import (
	"context"
	"errors"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// errEnough ends a reading that has seen what it was for.
var errEnough = errors.New("enough rows")

// showRows returns the first rows of a source that convert, as they are in a table
// that read reads.
func showRows(ctx context.Context, n int, from sourceRows, plan *table.Table, d *dialect.Dialect, read func(context.Context, database.EachRow) error) ([]ShownRow, error) {
	list := []ShownRow{}
	if n == 0 {
		return list, nil
	}
	wanted := map[uint64][]int{} // the rows with each hash
	p, err := from.open(ctx)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	o := from.options
	o.Hash, o.Texts, o.NoFigures, o.Progress = rowHash(plan, d), true, true, nil
	o.Block = func(k *convert.Block) error {
		for i, h := range k.Hashes {
			if len(list) == n {
				return errEnough
			}
			wanted[h] = append(wanted[h], len(list))
			list = append(list, ShownRow{Source: p.Sources[k.Part], Line: k.Lines[i], Text: k.Texts[i]})
		}
		return nil
	}
	_, err = p.Run(ctx, o)
	if err != nil && !errors.Is(err, errEnough) {
		return nil, err
	}
	return list, findRows(ctx, list, wanted, plan, d, read)
}

// findRows enters into rows what the table has of them.
func findRows(ctx context.Context, list []ShownRow, wanted map[uint64][]int, plan *table.Table, d *dialect.Dialect, read func(context.Context, database.EachRow) error) error {
	hash := rowHash(plan, d)
	writers, found := cellWriters(plan, d), 0
	err := read(ctx, func(row []value.Value) error {
		h := hash(row, nil)
		places := wanted[h]
		if len(places) == 0 {
			return nil
		}
		wanted[h] = places[1:]
		for i := range row {
			list[places[0]].InTable = append(list[places[0]].InTable, writers[i](&row[i]))
		}
		found++
		if found == len(list) {
			return errEnough
		}
		return nil
	})
	if errors.Is(err, errEnough) {
		return nil
	}
	return err
}

// show shows the first rows of the load, if that was asked for.
func (j *job) show(ctx context.Context) (err error) {
	read := j.rowsOf(j.table, j.receipt.Counts.Loaded)
	if j.Every > 0 { // the first rows were committed before this transaction
		read = allRows(j.to, j.table)
	}
	j.receipt.Rows, err = showRows(ctx, j.Rows, sourceRows{j.open, j.passOptions(), nil}, j.table, j.to.Dialect(), read)
	return err
}
