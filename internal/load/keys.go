package load

import (
	"context"
	"slices"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/pass"
	"ambertray/internal/proof"
	"ambertray/internal/refusal"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// keyScan finds the records whose key an earlier one or the table has, by hashes of the keys: 8 bytes
// a record.
type keyScan struct {
	plan, keyed *table.Table // keyed has the columns of the key alone
	key         []string
	hash        proof.RowHash // of the key of a row
	keyedHash   proof.RowHash // of a row of the columns of the key
	hashes      []uint64      // of all records that convert
	known       map[uint64]bool
	repeated    map[uint64]bool
}

// newKeyScan returns nil if the key is empty or has a column that is not loaded.
func newKeyScan(plan *table.Table, key []string, d *dialect.Dialect) *keyScan {
	keyed := *plan
	keyed.Columns = slices.Clone(plan.Columns)
	for i := range keyed.Columns {
		c := &keyed.Columns[i]
		c.LeaveOut = c.LeaveOut || !slices.Contains(key, c.Name)
	}
	types := d.StoredTypes(plan)
	var at []int
	var keyTypes []table.Type
	for i, c := range plan.Loaded() {
		if !slices.Contains(key, c.Name) {
			continue
		}
		if types[i].Textual() && (d == dialect.MySQL || d == dialect.SQLServer) { // they ignore spaces at the end of texts
			types[i].Kind = table.Char
		}
		at, keyTypes = append(at, i), append(keyTypes, types[i])
	}
	if len(at) == 0 || len(at) < len(key) {
		return nil
	}
	return &keyScan{
		plan: plan, keyed: &keyed, key: key, hash: proof.NewKeyHash(types, at), keyedHash: proof.NewRowHash(keyTypes),
		known: map[uint64]bool{}, repeated: map[uint64]bool{},
	}
}

// add takes the keys of the records of a block.
func (s *keyScan) add(k *convert.Block) error {
	s.hashes = append(s.hashes, k.Hashes...)
	return nil
}

// count counts them when all records are there. in is the table whose rows stay, or nil.
func (s *keyScan) count(ctx context.Context, in database.Target) (repeated, known int64, err error) {
	slices.Sort(s.hashes)
	for i := 1; i < len(s.hashes); i++ {
		if s.hashes[i] == s.hashes[i-1] {
			s.repeated[s.hashes[i]] = true
			repeated++
		}
	}
	if in == nil {
		return repeated, 0, nil
	}
	err = in.Rows(ctx, s.keyed, func(row []value.Value) error {
		key := s.keyedHash(row, nil)
		if s.known[key] {
			return nil
		}
		at, _ := slices.BinarySearch(s.hashes, key)
		for ; at < len(s.hashes) && s.hashes[at] == key; at++ {
			s.known[key] = true
			known++
		}
		return nil
	})
	return repeated, known, err
}

// refused reads the source again and lists the records with a duplicate key. With others, it also
// lists the records whose key is in the table.
func (s *keyScan) refused(ctx context.Context, from *keyedSource, others bool) (*refusal.List, error) {
	list, seen := &refusal.List{}, map[uint64]bool{}
	o := from.options
	o.NoFigures = true
	o.Block = func(k *convert.Block) error {
		for i, key := range k.Hashes {
			if others && s.known[key] || seen[key] {
				list.Add(refusal.Refusal{Where: refusal.Where{Part: k.Part, Record: k.Numbers[i]}, Columns: s.key, Reason: database.SameKey})
			}
			if s.repeated[key] {
				seen[key] = true
			}
		}
		return nil
	}
	_, err := from.run(ctx, o)
	return list, err
}

// keyedSource is a source that is read again, and how it was read.
type keyedSource struct {
	tray    *tray.Tray
	from    *source.Opener
	options pass.Options
}

func (s *keyedSource) run(ctx context.Context, o pass.Options) (*pass.Outcome, error) {
	p, err := pass.Open(ctx, s.tray, s.from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	return p.Run(ctx, o)
}
