package load

import (
	"context"
	"slices"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/pass"
	"ambertray/internal/proof"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// KeyCheck counts the records whose key occurs more than once.
type KeyCheck struct {
	Constraint string   `json:"constraint"` // its name in the table, "" for the key of the plan
	Columns    []string `json:"columns"`
	Repeated   int64    `json:"repeated"` // that an earlier record of the source has
	InTable    int64    `json:"in_table"`
	// Refused reports whether the table is known to refuse them. Then they are rejects.
	Refused bool `json:"refused"`
}

// ForeignCheck counts the records that refer to a row that another table does not have.
type ForeignCheck struct {
	Constraint string   `json:"constraint"` // its name in the table, "" for one of the plan
	Columns    []string `json:"columns"`
	Table      string   `json:"table"` // that they refer to
	Missing    int64    `json:"missing"`
	Fails      bool     `json:"fails"`   // a load fails instead of rejecting them
	Untried    string   `json:"untried"` // why the records were not compared with that table
}

// trial compares the records of a dry run with the foreign keys and the unique keys of the table. It reads
// the source once for each of them, and again for those that are violated.
type trial struct {
	plan        *table.Table
	to          database.Target
	tableExists bool
	source      *keyedSource
	constraints []constraint
	unique      []KeyCheck
	foreign     []ForeignCheck
}

// constraint is a unique key, or a foreign key, and the scan that finds what violates it.
type constraint struct {
	key     *KeyCheck
	foreign *ForeignCheck
	scan    *keyScan
	in      database.Target // the table whose rows count, or nil
	// suspects are the records that violate it, or may do so by what other records have.
	suspects []claim
	taken    map[uint64]bool // the keys of those that are not refused
}

// prepare finds the constraints.
func (t *trial) prepare(ctx context.Context) error {
	existing := t.plan.Existing
	stays := existing == table.Append || existing == table.Empty
	switch {
	case t.to == nil:
		t.addKey(KeyCheck{Columns: t.plan.Key, Refused: !stays})
	case !t.tableExists || existing == table.Rebuild:
		t.addKey(KeyCheck{Columns: t.plan.Key, Refused: true})
		for _, c := range t.plan.Loaded() {
			if c.References == nil {
				continue
			}
			err := t.addForeign(ctx, database.ForeignKey{Table: c.References.Table, Own: c.References.Table == t.plan.Name, Columns: []string{c.Name}, To: []string{c.References.Column}}, !t.dialect().InlineReferences())
			if err != nil {
				return err
			}
		}
	default:
		return t.addExisting(ctx)
	}
	return nil
}

// addExisting finds the constraints of an existing table. Its keys may differ from that of the plan.
func (t *trial) addExisting(ctx context.Context) error {
	foreign, err := database.ForeignKeys(ctx, t.to, t.plan.Name)
	if err != nil {
		return err
	}
	for _, k := range foreign {
		err := t.addForeign(ctx, k, false)
		if err != nil {
			return err
		}
	}
	if t.plan.Existing == table.Merge {
		t.addKey(KeyCheck{Columns: t.plan.Key, Refused: true})
		return nil
	}
	keys, err := database.UniqueKeys(ctx, t.to, t.plan.Name)
	same := false
	for _, k := range keys {
		same = same || database.SameColumns(k.Columns, t.plan.Key)
		t.addKey(KeyCheck{Constraint: k.Name, Columns: k.Columns, Refused: true})
	}
	if !same {
		t.addKey(KeyCheck{Columns: t.plan.Key})
	}
	return err
}

// addKey adds a unique key, unless it has columns that are not loaded.
func (t *trial) addKey(k KeyCheck) {
	at := places(t.plan, k.Columns)
	if at == nil {
		return
	}
	rows := &table.Table{Name: t.plan.Name}
	for _, i := range at {
		rows.Columns = append(rows.Columns, t.plan.Loaded()[i])
	}
	c := constraint{key: &k, scan: newKeyScan(t.plan, at, rows, t.dialect(), t.dialect() == dialect.SQLServer)}
	if t.tableExists && (t.plan.Existing == table.Append || t.plan.Existing == table.Merge) {
		c.in = t.to
	}
	t.constraints = append(t.constraints, c)
}

// addForeign adds a foreign key, unless it has columns that are not loaded.
func (t *trial) addForeign(ctx context.Context, k database.ForeignKey, fails bool) error {
	at := places(t.plan, k.Columns)
	if at == nil {
		return nil
	}
	f := &ForeignCheck{Constraint: k.Name, Columns: k.Columns, Table: k.Table, Fails: fails}
	c := constraint{foreign: f, in: t.to}
	rows, why, err := t.referred(ctx, &k, at)
	if ctx.Err() != nil {
		return err
	}
	f.Untried = why
	if err != nil {
		f.Untried = mayNotRead(err)
	}
	if f.Untried == "" {
		c.scan = newKeyScan(t.plan, at, rows, t.dialect(), false)
	}
	t.constraints = append(t.constraints, c)
	return nil
}

// referred returns the columns that a foreign key refers to, or why records cannot be compared with them.
func (t *trial) referred(ctx context.Context, k *database.ForeignKey, at []int) (rows *table.Table, why string, err error) {
	if k.Own {
		return nil, "rows may reference each other", nil
	}
	live, err := database.Columns(ctx, t.to, k.Table)
	if err != nil {
		return nil, "", err
	}
	rows = &table.Table{Name: k.Table}
	for n, name := range k.To {
		i := slices.IndexFunc(live, func(l database.ColumnInfo) bool { return strings.EqualFold(l.Name, name) })
		if i < 0 {
			return nil, "the table or its column does not exist", nil
		}
		if live[i].Type == nil || !t.comparable(t.plan.Loaded()[at[n]].Type, *live[i].Type) {
			return nil, "the types differ, or a collation may treat different texts as equal", nil
		}
		rows.Columns = append(rows.Columns, table.Column{Name: live[i].Name, Type: *live[i].Type})
	}
	return rows, "", nil
}

// comparable reports whether the server compares values of two types as this program does.
func (t *trial) comparable(a, b table.Type) bool {
	a, b = t.dialect().Stored(a), t.dialect().Stored(b)
	switch {
	case a.Textual() || b.Textual():
		return a.Textual() && b.Textual() && !foldsText(t.dialect())
	case a.Whole() || b.Whole():
		return a.Whole() && b.Whole()
	}
	return a.Kind == b.Kind && a.Scale == b.Scale
}

func (t *trial) dialect() *dialect.Dialect { return t.source.options.Dialect }

// mayNotRead returns why a table is not read. The server may still read it for a foreign key.
func mayNotRead(err error) string { return "cannot read the table: " + err.Error() }

// first returns what the pass that converts all records does for the first constraint.
func (t *trial) first() (hash proof.RowHash, block func(*convert.Block) error) {
	if len(t.constraints) == 0 || t.constraints[0].scan == nil {
		return nil, nil
	}
	return t.constraints[0].scan.hash, t.constraints[0].scan.add
}

// run goes on after that pass, whose outcome it returns, or that of one without the records that are refused.
func (t *trial) run(ctx context.Context, out *pass.Outcome) (*pass.Outcome, error) {
	for i := range t.constraints {
		c := &t.constraints[i]
		if c.scan != nil && i > 0 {
			err := t.source.scan(ctx, c.scan.hash, c.scan.add)
			if err != nil {
				return nil, err
			}
		}
		try := t.tryKey
		if c.foreign != nil {
			try = t.tryForeign
		}
		err := try(ctx, c)
		if err != nil {
			return nil, err
		}
		c.scan = nil // its hashes take memory
	}
	o := t.source.options
	o.Refused = t.refused()
	if o.Refused.Len() == 0 {
		return out, nil
	}
	return t.source.run(ctx, o)
}

func (t *trial) tryForeign(ctx context.Context, c *constraint) (err error) {
	f := c.foreign
	if f.Untried == "" {
		c.scan.countRepeated()
		found, err := c.scan.countKnown(ctx, c.in)
		switch {
		case ctx.Err() != nil:
			return err
		case err != nil:
			f.Untried = mayNotRead(err)
		default:
			f.Missing = c.scan.countFilled() - found
		}
	}
	t.foreign = append(t.foreign, *f)
	if f.Missing > 0 && !f.Fails {
		c.suspects, err = c.scan.claims(ctx, t.source, func(hash uint64) bool { return !c.scan.known[hash] })
	}
	return err
}

func (t *trial) tryKey(ctx context.Context, c *constraint) (err error) {
	k := c.key
	k.Repeated = c.scan.countRepeated()
	if c.in != nil {
		k.InTable, err = c.scan.countKnown(ctx, c.in)
		if err != nil {
			return err
		}
	}
	t.unique = append(t.unique, *k)
	if t.plan.Existing == table.Append {
		c.taken = c.scan.known
	} else {
		c.taken = map[uint64]bool{}
	}
	if k.Refused && k.Repeated+int64(len(c.taken)) > 0 {
		c.suspects, err = c.scan.claims(ctx, t.source, func(hash uint64) bool { return c.scan.repeated[hash] || c.taken[hash] })
	}
	return err
}

// refused lists the records that the server would refuse, which takes one after the other.
func (t *trial) refused() *refusal.List {
	list := &refusal.List{}
	for {
		var first *claim
		for i := range t.constraints {
			waiting := t.constraints[i].suspects
			if len(waiting) > 0 && (first == nil || waiting[0].Compare(first.Where) < 0) {
				first = &waiting[0]
			}
		}
		if first == nil {
			return list
		}
		t.judge(first.Where, list)
	}
}

// judge refuses a record, or has it take its keys.
func (t *trial) judge(at refusal.Where, list *refusal.List) {
	var why *refusal.Reason
	var concerned []*constraint
	for i := range t.constraints {
		c := &t.constraints[i]
		if len(c.suspects) == 0 || c.suspects[0].Where != at {
			continue
		}
		concerned = append(concerned, c)
		if why == nil && (c.foreign != nil || c.taken[c.suspects[0].hash]) {
			why = c.reason()
		}
	}
	if why != nil {
		list.Add(refusal.Refusal{Where: at, Columns: why.Columns, Reason: why.Reason})
	}
	for _, c := range concerned {
		if why == nil {
			c.taken[c.suspects[0].hash] = true // a foreign key would have refused it
		}
		c.suspects = c.suspects[1:]
	}
}

// reason returns why a record is refused.
func (c *constraint) reason() *refusal.Reason {
	if c.key != nil {
		return &refusal.Reason{Columns: c.key.Columns, Reason: database.SameKey}
	}
	return &refusal.Reason{Columns: c.foreign.Columns, Reason: database.NotInTable(c.foreign.Table, c.foreign.Constraint)}
}
