package load

import (
	"context"
	"math"
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

// sendBlocks sends rows to the table over a bulk path of their own.
type sendBlocks func(ctx context.Context, blocks []*convert.Block) (rows int64, refused *refusal.List, err error)

// resend sends rows again that were refused because of other rows: because a referenced row was missing or a key
// existed. It returns the number of rows added and the rows that remain refused.
func (j *job) resend(ctx context.Context, refused *refusal.List, encoder convert.Encoder, send sendBlocks) (added int64, left *refusal.List, err error) {
	itself, err := j.refersToItself(ctx, refused)
	if err != nil {
		return 0, nil, err
	}
	several := len(refused.Reasons) > 1
	r := &resending{send: send, mayFit: func(x refusal.Refusal) bool { return itself && isOrphan(x) || several && isRepeat(x) }}
	r.waiting, r.left = split(refused, r.mayFit)
	if r.waiting.Len() == 0 {
		return 0, refused, nil
	}
	r.rows, err = j.readWaiting(ctx, r.waiting, encoder)
	if err != nil {
		return 0, nil, err
	}
	waiting, tooMany := split(r.waiting, r.rows.holds())
	r.waiting = waiting
	r.left.Append(tooMany)
	for before := r.waiting.Len() + 1; 0 < r.waiting.Len() && r.waiting.Len() < before; {
		before = r.waiting.Len()
		err = r.sendAll(ctx)
		if err == nil && r.waiting.Len() == before {
			err = r.sendApart(ctx)
		}
		if err != nil {
			return 0, nil, err
		}
	}
	r.left.Append(r.waiting)
	r.left.Sort()
	return r.added, r.left, nil
}

// resending are rows that are sent again.
type resending struct {
	send          sendBlocks
	mayFit        func(refusal.Refusal) bool // whether a row may be refused because of another one
	rows          *waitingRows
	waiting, left *refusal.List // rows to be sent, and rows that remain refused
	added         int64
}

// sendAll sends all rows in order, and then those that reference their own table in reverse order.
func (r *resending) sendAll(ctx context.Context) error {
	err := r.sendSome(ctx, func(refusal.Refusal) bool { return true }, false)
	if err != nil {
		return err
	}
	return r.sendSome(ctx, isOrphan, true)
}

// sendApart sends the rows that repeat others, those that were refused for the same reason at a time, as long as that
// makes them fewer. In one batch, a row may be refused because of another row that is refused as well, for another reason.
func (r *resending) sendApart(ctx context.Context) error {
	for _, reason := range repeatsIn(r.waiting) {
		same := func(x refusal.Refusal) bool { return x.Reason == reason }
		for before, rows := math.MaxInt, countOf(r.waiting, same); 0 < rows && rows < before; {
			err := r.sendSome(ctx, same, false)
			if err != nil {
				return err
			}
			before, rows = rows, countOf(r.waiting, same)
		}
	}
	return nil
}

func countOf(refused *refusal.List, some func(refusal.Refusal) bool) (n int) {
	for x := range refused.All() {
		if some(x) {
			n++
		}
	}
	return n
}

// sendSome sends some of the waiting rows, from the last to the first with back.
func (r *resending) sendSome(ctx context.Context, some func(refusal.Refusal) bool, back bool) error {
	sent, rest := split(r.waiting, some)
	if sent.Len() == 0 {
		return nil
	}
	n, again, err := r.send(ctx, r.rows.listed(sent, back))
	if err != nil {
		return err
	}
	waiting, stay := split(again, r.mayFit)
	waiting.Append(rest)
	r.waiting, r.added = waiting, r.added+n
	r.left.Append(stay)
	return nil
}

// repeatsIn returns the reasons why rows repeat others, in the order of the first rows.
func repeatsIn(refused *refusal.List) (reasons []string) {
	refused.Sort()
	for x := range refused.All() {
		if isRepeat(x) && !slices.Contains(reasons, x.Reason) {
			reasons = append(reasons, x.Reason)
		}
	}
	return reasons
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
