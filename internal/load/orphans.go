package load

import (
	"context"
	"slices"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/pass"
	"ambertray/internal/refusal"
)

// orphans are rows that were refused because the row of their own table that they refer to was not there yet.
type orphans struct {
	blocks []*convert.Block
	bytes  int
}

// maxOrphans is how many bytes of them are sent again; the others stay refused.
const maxOrphans = 64 << 20

// sendOrphans sends such rows again, in their order and from the last to the first, until neither adds a row. It returns
// how many rows were added, and those that stay refused.
func (j *job) sendOrphans(ctx context.Context, refused *refusal.List) (added int64, left *refusal.List, err error) {
	waiting, left := splitOrphans(refused)
	if waiting.Len() == 0 {
		return 0, refused, nil
	}
	itself, err := j.refersToItself(ctx)
	if err != nil || !itself {
		return 0, refused, err
	}
	o, err := j.readOrphans(ctx, waiting)
	if err != nil {
		return 0, nil, err
	}
	for idle := 0; idle < 2 && waiting.Len() > 0; idle++ {
		rows, again, err := j.sendBlocks(ctx, o.blocks)
		if err != nil {
			return 0, nil, err
		}
		stay := &refusal.List{}
		waiting, stay = splitOrphans(again)
		left.Append(stay)
		if rows > 0 {
			added, idle = added+rows, -1
		}
		o.keep(waiting)
		o.reverse()
	}
	left.Append(waiting)
	left.Sort()
	return added, left, nil
}

// splitOrphans divides refusals into those because of a foreign key and the others.
func splitOrphans(refused *refusal.List) (waiting, others *refusal.List) {
	waiting, others = &refusal.List{}, &refusal.List{}
	for x := range refused.All() {
		if strings.HasPrefix(x.Reason, database.NotIn) {
			waiting.Add(x)
		} else {
			others.Add(x)
		}
	}
	return waiting, others
}

// refersToItself reports whether the table has a foreign key into itself.
func (j *job) refersToItself(ctx context.Context) (bool, error) {
	keys, err := database.ForeignKeys(ctx, j.to, j.table.Name)
	if err != nil {
		return false, err
	}
	for _, k := range keys {
		identity, err := database.Identity(ctx, j.to, k.Table)
		if err != nil || identity == j.identity {
			return err == nil, err
		}
	}
	return false, nil
}

// readOrphans reads the source again for these rows.
func (j *job) readOrphans(ctx context.Context, waiting *refusal.List) (*orphans, error) {
	sink, err := j.tx.Load(ctx, j.table) // for its encoder
	if err != nil {
		return nil, err
	}
	_, err = sink.Close(nil)
	if err != nil {
		return nil, err
	}
	p, err := j.open(ctx)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	o := &orphans{}
	waiting.Sort()
	_, err = p.Run(ctx, pass.Options{
		Dialect: j.to.Dialect(), Load: j.loadID, Table: j.table, Refused: j.withheld, NoFigures: true, Encoder: sink.Encoder(),
		Block: func(k *convert.Block) error {
			o.add(k, waiting)
			return nil
		},
	})
	return o, err
}

// add takes those rows of a block that are listed.
func (o *orphans) add(k *convert.Block, listed *refusal.List) {
	if len(k.Numbers) == 0 || o.bytes > maxOrphans {
		return
	}
	at := listed.Cursor(refusal.Where{Part: k.Part, Record: k.Numbers[0]})
	var rows []int
	for i, number := range k.Numbers {
		if at.At(refusal.Where{Part: k.Part, Record: number}) != nil {
			rows = append(rows, i)
		}
	}
	if rows == nil {
		return
	}
	picked := k.Pick(rows)
	o.blocks, o.bytes = append(o.blocks, picked), o.bytes+len(picked.Data)
}

// keep takes out the rows that are not listed.
func (o *orphans) keep(listed *refusal.List) {
	left := map[refusal.Where]bool{}
	for x := range listed.All() {
		left[x.Where] = true
	}
	for _, k := range o.blocks {
		var gone []int
		for i, number := range k.Numbers {
			if !left[refusal.Where{Part: k.Part, Record: number}] {
				gone = append(gone, i)
			}
		}
		k.Remove(gone)
	}
	o.blocks = slices.DeleteFunc(o.blocks, func(k *convert.Block) bool { return len(k.Numbers) == 0 })
}

// reverse puts the rows into the opposite order.
func (o *orphans) reverse() {
	slices.Reverse(o.blocks)
	for b, k := range o.blocks {
		var rows []int
		for i := range k.Numbers {
			rows = append(rows, len(k.Numbers)-1-i)
		}
		o.blocks[b] = k.Pick(rows)
	}
}

// sendBlocks sends rows to the table over a bulk path of their own.
func (j *job) sendBlocks(ctx context.Context, blocks []*convert.Block) (rows int64, refused *refusal.List, err error) {
	j.sink, err = j.tx.Load(ctx, j.table)
	if err != nil {
		return 0, nil, err
	}
	for _, k := range blocks {
		err = j.sink.Write(k)
		if err != nil {
			break
		}
	}
	rows, refused, closeErr := j.closeSink(err)
	if err == nil {
		err = closeErr
	}
	return rows, refused, err
}
