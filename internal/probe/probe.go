// Package probe finds out what a login can do in a target, by trying it in a
// transaction that is rolled back.
package probe

import (
	"context"
	"errors"
	"fmt"
	"time"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Result is what was found.
type Result struct {
	Target string          `json:"target"`
	Facts  []database.Fact `json:"facts"`
}

// Able reports whether a load is possible at all.
func (r *Result) Able() bool {
	for _, f := range r.Facts {
		if f.Required && !f.OK {
			return false
		}
	}
	return true
}

// Run examines a target and tries what a load does. It removes all that it makes.
func Run(ctx context.Context, to database.Target) (*Result, error) {
	prober, err := database.Require[database.Prober](to, to, "testing a login")
	if err != nil {
		return nil, err
	}
	facts, err := prober.Facts(ctx)
	if err != nil {
		return nil, err
	}
	p := &probing{ctx: ctx, to: to, prober: prober, result: &Result{Target: to.Name(), Facts: facts}}
	return p.result, p.run()
}

type probing struct {
	ctx    context.Context
	to     database.Target
	prober database.Prober
	result *Result
}

func (p *probing) run() (err error) {
	tab := &table.Table{
		Name: "ambertray_test_" + ledger.NewID(time.Now())[len("20060102-"):], Key: []string{"a"}, Indexes: [][]string{{"b"}},
		Columns: []table.Column{{Name: "a", Type: table.Type{Kind: table.Integer}}, {Name: "b", Type: table.Type{Kind: table.Integer}, Nullable: true}},
	}
	tx, err := p.to.Begin(p.ctx)
	if !p.tried("begin a transaction", err, "") {
		return nil
	}
	if !p.tried("create a table", tx.Create(p.ctx, tab, database.Creation{}), "create") {
		_ = tx.Rollback() // of nothing
		return nil
	}
	defer func() { err = errors.Join(err, tx.Rollback()) }()
	sink, err := tx.Load(p.ctx, tab)
	if err == nil {
		err = sink.Write(block(sink.Encoder()))
		_, closeErr := sink.Close(err)
		err = errors.Join(err, closeErr)
	}
	if !p.tried("load rows", err, "insert") {
		return nil
	}
	for _, remark := range sink.Remarks() {
		p.result.Facts = append(p.result.Facts, database.Fact{Name: "load in bulk", Value: "no", Remedy: remark})
	}
	indexer, ok := tx.(database.Indexer)
	if ok && !p.tried("index it", indexer.Index(p.ctx, tab), "create") {
		return nil
	}
	p.tried("keep the ledger", p.tryLedger(), "ledger")
	return nil
}

// tryLedger runs the kinds of statements that loads run on the ledger, if it exists. No row meets their condition.
func (p *probing) tryLedger() error {
	there, err := p.to.Exists(p.ctx, ledger.Name)
	if err != nil || !there {
		return err
	}
	const noRow = " WHERE id = ''"
	_, err = p.to.Query(p.ctx, "SELECT id FROM "+ledger.Name+noRow)
	for _, change := range []string{"INSERT INTO %[1]s SELECT * FROM %[1]s", "UPDATE %s SET id = ''", "DELETE FROM %s"} {
		if err == nil {
			_, err = p.to.Exec(p.ctx, fmt.Sprintf(change, ledger.Name)+noRow)
		}
	}
	return err
}

// block is one row of a 1 and a NULL.
func block(enc convert.Encoder) *convert.Block {
	data := enc.AppendRecord(nil)
	data = enc.Column(0, table.Type{Kind: table.Integer})(data, &value.Value{Int: 1})
	data = enc.AppendNull(data, 1)
	return &convert.Block{Data: data, Ends: []int{len(data)}, Numbers: []int64{1}}
}

// tried writes down how a step went. right names what the login needs for it.
func (p *probing) tried(name string, err error, right string) bool {
	f := database.Fact{Name: name, Value: "yes", OK: err == nil, Required: true}
	if err != nil {
		f.Value = "no: " + words(err)
		if errors.Is(err, database.ErrPermission) {
			f.Remedy = p.prober.Grant(right)
		}
	}
	p.result.Facts = append(p.result.Facts, f)
	return err == nil
}

// words returns what the server says, without what was being done.
func words(err error) string {
	var known *database.Error
	if errors.As(err, &known) && known.Err != nil {
		return known.Err.Error()
	}
	return err.Error()
}
