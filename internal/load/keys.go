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

// keyScan compares some columns of all records with each other and with the rows of a table, by hashes:
// 8 bytes a record.
type keyScan struct {
	rows     *table.Table    // the table, with the columns that are compared
	hash     proof.RowHash   // of the columns of a record, or hasNull
	rowHash  proof.RowHash   // of a row of the table, likewise
	hashes   []uint64        // of all records that convert
	known    map[uint64]bool // that the table has too
	repeated map[uint64]bool // that several records have
}

// hasNull is used instead of a hash if one of the columns is NULL. Such rows are not compared.
const hasNull = 0

// newKeyScan compares some loaded columns of a plan, given by their indexes, with the columns of rows in the same
// order. If nulls is set, NULL is compared like any other value.
func newKeyScan(plan *table.Table, at []int, rows *table.Table, d *dialect.Dialect, nulls bool) *keyScan {
	types, rowTypes := keyTypes(plan, d), keyTypes(rows, d)
	all := make([]int, len(at))
	for k, i := range at {
		all[k] = k
		if types[i].Kind == table.Char || rowTypes[k].Kind == table.Char { // both are texts
			types[i].Kind, rowTypes[k].Kind = table.Char, table.Char
		}
	}
	s := &keyScan{rows: rows, hash: proof.NewKeyHash(types, at), rowHash: proof.NewRowHash(rowTypes), known: map[uint64]bool{}, repeated: map[uint64]bool{}}
	if !nulls {
		s.hash, s.rowHash = filledHash(s.hash, at), filledHash(s.rowHash, all)
	}
	return s
}

// keyTypes returns the types by which keys are hashed: some servers ignore spaces at the end of texts.
func keyTypes(plan *table.Table, d *dialect.Dialect) []table.Type {
	types := d.StoredTypes(plan)
	for i := range types {
		if types[i].Textual() && foldsText(d) {
			types[i].Kind = table.Char
		}
	}
	return types
}

// foldsText reports whether a server usually finds texts equal that are not the same.
func foldsText(d *dialect.Dialect) bool { return d == dialect.MySQL || d == dialect.SQLServer }

// filledHash returns hasNull for rows with NULL in one of some columns.
func filledHash(hash proof.RowHash, at []int) proof.RowHash {
	return func(row []value.Value, encoded []byte) uint64 {
		for _, i := range at {
			if row[i].Null {
				return hasNull
			}
		}
		return hash(row, encoded)
	}
}

// places returns the indexes of some columns among the loaded ones, or nil if one is not loaded.
func places(plan *table.Table, names []string) (at []int) {
	for _, name := range names {
		i := slices.IndexFunc(plan.Loaded(), func(c table.Column) bool { return c.Name == name })
		if i < 0 {
			return nil
		}
		at = append(at, i)
	}
	return at
}

// add takes the hashes of the records of a block.
func (s *keyScan) add(k *convert.Block) error {
	s.hashes = append(s.hashes, k.Hashes...)
	return nil
}

// countRepeated counts the records that have the key of an earlier one, when all are there.
func (s *keyScan) countRepeated() (n int64) {
	slices.Sort(s.hashes)
	for i := 1; i < len(s.hashes); i++ {
		if s.hashes[i] == s.hashes[i-1] && s.hashes[i] != hasNull {
			s.repeated[s.hashes[i]] = true
			n++
		}
	}
	return n
}

// countKnown counts the records whose columns a row of the table has, after the repeated ones.
func (s *keyScan) countKnown(ctx context.Context, in database.Target) (n int64, err error) {
	err = in.Rows(ctx, s.rows, func(row []value.Value) error {
		key := s.rowHash(row, nil)
		if key == hasNull || s.known[key] {
			return nil
		}
		at, _ := slices.BinarySearch(s.hashes, key)
		for ; at < len(s.hashes) && s.hashes[at] == key; at++ {
			s.known[key] = true
			n++
		}
		return nil
	})
	return n, err
}

// countFilled counts the records that have a value in each column.
func (s *keyScan) countFilled() (n int64) {
	for _, h := range s.hashes {
		if h != hasNull {
			n++
		}
	}
	return n
}

// claim is a record and the hash of its columns.
type claim struct {
	refusal.Where
	hash uint64
}

// claims reads the source again, for the records whose hash a condition selects, in their order.
func (s *keyScan) claims(ctx context.Context, from *keyedSource, wanted func(hash uint64) bool) (list []claim, err error) {
	err = from.scan(ctx, s.hash, func(k *convert.Block) error {
		for i, hash := range k.Hashes {
			if hash != hasNull && wanted(hash) {
				list = append(list, claim{refusal.Where{Part: k.Part, Record: k.Numbers[i]}, hash})
			}
		}
		return nil
	})
	return list, err
}

// keyedSource is a source that is read several times, and how it is read.
type keyedSource struct {
	tray    *tray.Tray
	from    *source.Opener
	leftOut []int // indexes of files and sheets
	options pass.Options
}

// scan reads the hashes of the records that convert.
func (s *keyedSource) scan(ctx context.Context, hash proof.RowHash, each func(*convert.Block) error) error {
	o := s.options
	o.Hash, o.Block, o.NoFigures = hash, each, true
	_, err := s.run(ctx, o)
	return err
}

func (s *keyedSource) run(ctx context.Context, o pass.Options) (*pass.Outcome, error) {
	p, err := pass.Open(ctx, s.tray, s.from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	err = p.LeaveOut(s.leftOut)
	if err != nil {
		return nil, err
	}
	return p.Run(ctx, o)
}
