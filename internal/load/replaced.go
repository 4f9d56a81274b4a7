package load

import (
	"context"
	"errors"
	"io/fs"
	"maps"
	"path/filepath"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/proof"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
)

// replacing lists the rejects that have the key of another record of the load. A merge would replace the
// row of that record.
func (m *mended) replacing(ctx context.Context) (*refusal.List, error) {
	at := places(m.plan, m.plan.Key)
	if at == nil {
		return m.duplicates(ctx)
	}
	list := &refusal.List{}
	of := &rivals{options: pass.Options{Dialect: m.to.Dialect(), Table: m.plan, Load: m.loadID, Hash: proof.NewKeyHash(keyTypes(m.plan, m.to.Dialect()), at), NoFigures: true}, rejects: map[uint64][]int64{}}
	p, err := m.open(ctx)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	_, err = of.scanKeys(ctx, p, nil, func(key uint64, number int64) { of.rejects[key] = append(of.rejects[key], number) })
	if err != nil || len(of.rejects) == 0 {
		return list, err
	}
	taken, known, err := m.takenBy(ctx, of)
	if err != nil {
		return nil, err
	}
	if !known {
		m.receipt.addNote(note.About("the source is missing or has changed since the load: a corrected record may replace the row of another one with the same key"))
		list, err = m.duplicates(ctx)
		if err != nil {
			return nil, err
		}
	}
	listed := map[int64]bool{}
	for x := range list.All() {
		listed[x.Record] = true
	}
	for key := range taken {
		for _, number := range of.rejects[key] {
			if !listed[number] {
				list.Add(refusal.Refusal{Where: refusal.Where{Record: number}, Columns: m.plan.Key, Reason: database.SameKey})
			}
		}
	}
	list.Sort()
	return list, nil
}

// rivals finds records with the keys of rejects.
type rivals struct {
	options pass.Options       // hash the key of each record
	rejects map[uint64][]int64 // numbers of the rejects by the hashes of their keys
}

// scanKeys calls each for all records of a pass that convert and were not refused.
func (r *rivals) scanKeys(ctx context.Context, p *pass.Pass, refused *refusal.List, each func(key uint64, number int64)) (*pass.Outcome, error) {
	o := r.options
	o.Refused = refused
	o.Block = func(k *convert.Block) error {
		for i, key := range k.Hashes {
			each(key, k.Numbers[i])
		}
		return nil
	}
	return p.Run(ctx, o)
}

// heldBy returns which of the keys the records of a pass have.
func (r *rivals) heldBy(ctx context.Context, p *pass.Pass, refused *refusal.List) (found map[uint64]bool, out *pass.Outcome, err error) {
	found = map[uint64]bool{}
	out, err = r.scanKeys(ctx, p, refused, func(key uint64, _ int64) {
		if r.rejects[key] != nil {
			found[key] = true
		}
	})
	return found, out, err
}

// takenBy returns the keys of the records that the load and its earlier mends have loaded. known is false
// if the source is missing or has changed since the load.
func (m *mended) takenBy(ctx context.Context, of *rivals) (taken map[uint64]bool, known bool, err error) {
	taken = map[uint64]bool{}
	before, err := pass.OpenKept(ctx, m.tray, m.opener, filepath.Join(m.dir, reject.MendedName), m.of.Headings)
	if err == nil {
		defer before.Close()
		taken, _, err = of.heldBy(ctx, before, nil)
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, false, err
	}
	source, err := pass.Open(ctx, m.tray, m.opener)
	if err != nil {
		return taken, false, ctx.Err()
	}
	defer source.Close()
	l := &pastLoad{mark: m.of.ID, dir: m.dir, receipt: m.of}
	p := &past{marks: make([]string, len(source.Parts())), refused: &refusal.List{}}
	keys := KeysOf(source.Parts())
	err = p.take(l, m.tray, keys)
	if err != nil || len(l.parts) == 0 {
		return taken, false, err
	}
	p.refused.Sort()
	err = p.leaveOthers(source)
	if err != nil {
		return nil, false, err
	}
	found, out, err := of.heldBy(ctx, source, p.refused)
	if err != nil {
		return taken, false, ctx.Err()
	}
	given := m.of.Given(m.tray)
	for i, key := range keys {
		if given[key] != nil && given[key].SHA256 != out.Parts[i].SHA256 {
			return taken, false, nil
		}
	}
	maps.Copy(taken, found)
	return taken, len(l.parts) == len(given), nil
}
