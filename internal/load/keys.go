package load

import (
	"context"
	"slices"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// countKeys counts the records whose key an earlier record of the source has, and
// those whose key the table has, by hashes of the keys: 8 bytes a record.
func countKeys(ctx context.Context, t *tray.Tray, plan *table.Table, from *source.Opener, to database.Target) (repeated, known int64, err error) {
	keyed := *plan
	keyed.Columns = slices.Clone(plan.Columns)
	for i := range keyed.Columns {
		c := &keyed.Columns[i]
		c.LeaveOut = c.LeaveOut || !slices.Contains(plan.Key, c.Name)
	}
	hash := rowHash(&keyed, to.Dialect())
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return 0, 0, err
	}
	defer p.Close()
	var keys []uint64
	_, err = p.Run(ctx, pass.Options{Dialect: to.Dialect(), Table: &keyed, NoFigures: true, Hash: hash, Block: func(k *convert.Block) error {
		keys = append(keys, k.Hashes...)
		return nil
	}})
	if err != nil {
		return 0, 0, err
	}
	slices.Sort(keys)
	for i := 1; i < len(keys); i++ {
		if keys[i] == keys[i-1] {
			repeated++
		}
	}
	err = to.Rows(ctx, &keyed, func(row []value.Value) error {
		key := hash(row, nil)
		at, _ := slices.BinarySearch(keys, key)
		for ; at < len(keys) && keys[at] == key; at++ {
			known++
		}
		return nil
	})
	return repeated, known, err
}
