package load

import (
	"context"
	"slices"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/pass"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// maxResent is how many bytes of rows are sent again; the others stay refused.
const maxResent = 64 << 20

// maxSingly is how many rows are sent one by one at the end.
const maxSingly = 50

// sendBlocks sends rows to the table over a bulk path of their own.
type sendBlocks func(ctx context.Context, blocks []*convert.Block) (rows int64, refused *refusal.List, err error)

// resend sends rows again that were refused because of other rows: because a referenced row was missing or a key
// existed. It sends them in order, and those that reference their own table also in reverse order, until neither adds a
// row. It returns the number of rows added and the rows that remain refused.
func (j *job) resend(ctx context.Context, refused *refusal.List, encoder convert.Encoder, send sendBlocks) (added int64, left *refusal.List, err error) {
	itself, err := j.refersToItself(ctx, refused)
	if err != nil {
		return 0, nil, err
	}
	mayFit := func(x refusal.Refusal) bool { return itself && isOrphan(x) || len(refused.Reasons) > 1 && isRepeat(x) }
	waiting, left := split(refused, mayFit)
	if waiting.Len() == 0 {
		return 0, refused, nil
	}
	rows, err := j.readWaiting(ctx, waiting, encoder)
	if err != nil {
		return 0, nil, err
	}
	waiting, tooMany := split(waiting, rows.holds())
	left.Append(tooMany)
	back := false
	for idle := 0; idle < 2 && waiting.Len() > 0; idle++ {
		sent, rest := waiting, &refusal.List{}
		if back {
			sent, rest = split(waiting, isOrphan)
		}
		if sent.Len() == 0 {
			back = !back
			continue
		}
		n, again, err := send(ctx, rows.listed(sent, back))
		if err != nil {
			return 0, nil, err
		}
		var stay *refusal.List
		waiting, stay = split(again, mayFit)
		waiting.Append(rest)
		left.Append(stay)
		if n > 0 {
			added, idle = added+n, -1
		}
		back = !back
	}
	n, waiting, err := sendSingly(ctx, rows, waiting, send)
	if err != nil {
		return 0, nil, err
	}
	added += n
	left.Append(waiting)
	left.Sort()
	return added, left, nil
}

// sendSingly sends rows one by one, unless there are more than maxSingly, until none is added. In one batch, a row may be
// refused because of another row that is refused as well.
func sendSingly(ctx context.Context, rows *waitingRows, waiting *refusal.List, send sendBlocks) (added int64, left *refusal.List, err error) {
	for n := int64(1); n > 0 && waiting.Len() <= maxSingly; added += n {
		n, left = 0, &refusal.List{}
		for x := range waiting.All() {
			one := &refusal.List{}
			one.Add(x)
			sent, again, err := send(ctx, rows.listed(one, false))
			if err != nil {
				return 0, nil, err
			}
			n += sent
			left.Append(again)
		}
		waiting = left
	}
	return added, waiting, nil
}

// isOrphan reports whether a row was refused because the row that it references was missing.
func isOrphan(x refusal.Refusal) bool { return database.IsNotInTable(x.Reason) }

// isRepeat reports whether a row was refused because of its key. The row with the same key may be refused as well.
func isRepeat(x refusal.Refusal) bool {
	reason := strings.ToLower(x.Reason)
	return strings.Contains(reason, "duplicate") || strings.Contains(reason, "unique constraint")
}

// split divides refusals.
func split(refused *refusal.List, first func(refusal.Refusal) bool) (some, others *refusal.List) {
	some, others = &refusal.List{}, &refusal.List{}
	for x := range refused.All() {
		if first(x) {
			some.Add(x)
		} else {
			others.Add(x)
		}
	}
	return some, others
}

// refersToItself reports whether refused rows may reference their own table.
func (j *job) refersToItself(ctx context.Context, refused *refusal.List) (bool, error) {
	if !slices.ContainsFunc(refused.Reasons, func(r refusal.Reason) bool { return database.IsNotInTable(r.Reason) }) {
		return false, nil
	}
	keys, err := database.ForeignKeys(ctx, j.to, j.table.Name)
	return slices.ContainsFunc(keys, func(k database.ForeignKey) bool { return k.Own }), err
}

// waitingRows are rows to be sent again, in the order of the source.
type waitingRows struct {
	blocks []*convert.Block
	bytes  int
}

// readWaiting reads the source again for such rows.
func (j *job) readWaiting(ctx context.Context, waiting *refusal.List, encoder convert.Encoder) (*waitingRows, error) {
	p, err := j.open(ctx)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	waiting.Sort()
	rows := &waitingRows{}
	_, err = p.Run(ctx, pass.Options{
		Dialect: j.to.Dialect(), Load: j.loadID, Table: j.table, Refused: j.withheld, NoFigures: true, Encoder: encoder,
		Block: func(k *convert.Block) error {
			if rows.bytes < maxResent {
				rows.add(listedIn(k, waiting, false))
			}
			return nil
		},
	})
	return rows, err
}

// holds returns the function that reports whether a row is among them.
func (w *waitingRows) holds() func(refusal.Refusal) bool {
	all := map[refusal.Where]bool{}
	for _, k := range w.blocks {
		for _, number := range k.Numbers {
			all[refusal.Where{Part: k.Part, Record: number}] = true
		}
	}
	return func(x refusal.Refusal) bool { return all[x.Where] }
}

func (w *waitingRows) add(k *convert.Block) {
	if k != nil {
		w.blocks, w.bytes = append(w.blocks, k), w.bytes+len(k.Data)
	}
}

// listed returns those of the rows that are listed, from the last to the first with back.
func (w *waitingRows) listed(list *refusal.List, back bool) []*convert.Block {
	list.Sort()
	some := &waitingRows{}
	for _, k := range w.blocks {
		some.add(listedIn(k, list, back))
	}
	if back {
		slices.Reverse(some.blocks)
	}
	return some.blocks
}

// listedIn returns a block of those rows of another one that are listed, nil if none are.
func listedIn(k *convert.Block, list *refusal.List, back bool) *convert.Block {
	if len(k.Numbers) == 0 {
		return nil
	}
	at := list.Cursor(refusal.Where{Part: k.Part, Record: k.Numbers[0]})
	var rows []int
	for i, number := range k.Numbers {
		if at.At(refusal.Where{Part: k.Part, Record: number}) != nil {
			rows = append(rows, i)
		}
	}
	if rows == nil {
		return nil
	}
	if back {
		slices.Reverse(rows)
	}
	return k.Pick(rows)
}

// sendTo is a sendBlocks into a table with the columns of the plan.
func (j *job) sendTo(ctx context.Context, tab *table.Table, blocks []*convert.Block) (rows int64, refused *refusal.List, err error) {
	j.sink, err = j.tx.Load(ctx, tab)
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
