package databasetest

import (
	"context"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/pass"
	"ambertray/internal/probe"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// Capable is what a load needs of a target for existing tables.
type Capable interface {
	database.Target
	database.Locker
	database.Inspector
	database.Stored
}

// failing is a target one of whose nodes dies just before a commit.
type failing struct {
	Capable
	die func() error
}

type failingTx struct {
	database.Tx
	die func() error
}

func (f *failing) Begin(ctx context.Context) (database.Tx, error) {
	tx, err := f.Capable.Begin(ctx)
	return &failingTx{tx, f.die}, err
}

// Commit fails when the rows are to be committed, not the entry before them.
func (f *failingTx) Commit(ctx context.Context, entry *ledger.Entry) error {
	if entry == nil {
		err := f.die()
		if err != nil {
			return err
		}
	}
	return f.Tx.Commit(ctx, entry)
}

// pieces is a table whose rows lie on two servers, of which the second may be
// killed, and what the tests do with it.
type pieces struct {
	*testing.T
	open   func() database.Target
	to     database.Target
	second *Server
}

// Nodes loads into a table called pieces with the columns no, a key, and name,
// whose rows lie on two servers, and on which no name may be "bad".
func Nodes(t *testing.T, open func() database.Target, second *Server) {
	p := &pieces{t, open, open(), second}
	defer func() { p.to.Close() }()
	t.Cleanup(func() { second.Restart(t) })
	p.refuse()
	p.replace()
	p.dieInTheMiddle()
	p.dieWhileCommitting()
}

// load loads records into the table.
func (p *pieces) load(to database.Target, existing table.Existing, text string, o load.Options) (*load.Receipt, error) {
	name := table.Column{From: "name", Name: "name", Type: table.Type{Kind: table.Varchar, Size: 5}, Nullable: true}
	tr := NewTray(p.T, "pieces", "no,name\n"+text, no, name)
	tr.Table.Existing, tr.Table.Key = existing, []string{"no"}
	return load.Run(context.Background(), tr, &source.Opener{}, to, o)
}

// many are records, numbered from 100 on.
func many(records int) string {
	var text strings.Builder
	for i := range records {
		text.WriteString(strconv.Itoa(100+i) + ",x\n")
	}
	return text.String()
}

// rows returns the number of rows and the sum of their numbers.
func (p *pieces) rows() string {
	rows, err := p.to.Query(context.Background(), "SELECT count(*), coalesce(sum(no), 0) FROM pieces")
	require.NoError(p, err)
	return strings.Join(rows[0], " ")
}

// states returns what the ledger says of each load.
func (p *pieces) states() (list []ledger.State) {
	entries, err := ledger.Read(context.Background(), p.to, "")
	require.NoError(p, err)
	for _, e := range entries {
		list = append(list, e.State)
	}
	return list
}

// restart starts the server that was killed, and connects again.
func (p *pieces) restart() {
	p.second.Restart(p)
	p.to.Close()
	p.to = p.open()
}

func (p *pieces) refuse() {
	const text = "1,a\n2,bad\n3,c\n1,twice\n5,long name\n"
	r, err := p.load(p.to, table.Append, text, load.Options{})
	require.NoError(p, err)
	require.Equal(p, load.Counts{Read: 5, Loaded: 2, Rejected: 3}, counts(r))
	requireRows(p, p.to, r.Table, 2)
	require.True(p, r.Verified)
	require.Contains(p, strings.Join(r.Remarks, "\n"), "node1, node2")
	require.Equal(p, []ledger.State{ledger.Loaded}, p.states())
	var again *load.AgainError
	_, err = p.load(p.to, table.Append, text, load.Options{})
	require.ErrorAs(p, err, &again)
	_, err = p.load(p.to, table.Append, "4,d\n", load.Options{Every: 1})
	require.ErrorIs(p, err, load.ErrOneCommit)
	tested, err := probe.Run(context.Background(), p.to)
	require.NoError(p, err)
	require.True(p, tested.Able())
	require.Contains(p, tested.Facts, database.Fact{Name: "table pieces", Value: "on other servers: node1, node2", Remedy: database.ServersRemedy})
}

func (p *pieces) replace() {
	_, err := p.load(p.to, table.Empty, "8,h\n9,bad\n", load.Options{})
	require.NoError(p, err)
	require.Equal(p, "1 8", p.rows(), "it was emptied once, and a row was refused")
	r, err := p.load(p.to, table.Merge, "8,H\n9,i\n", load.Options{})
	require.NoError(p, err)
	require.Equal(p, database.Merged{Inserted: 1, Updated: 1, Agree: 2}, *r.Merged)
}

func (p *pieces) dieInTheMiddle() {
	before := p.states()
	killed := false
	_, err := p.load(p.to, table.Append, many(50_000), load.Options{Progress: func(pass.Progress) {
		if !killed {
			killed = true
			require.NoError(p, p.second.Kill())
		}
	}})
	require.Error(p, err)
	p.restart()
	require.Equal(p, "2 17", p.rows())
	require.Equal(p, before, p.states())
}

func (p *pieces) dieWhileCommitting() {
	before := p.states()
	var inDoubt *load.DoubtError
	_, err := p.load(&failing{p.to.(Capable), p.second.Kill}, table.Append, many(50), load.Options{})
	require.ErrorAs(p, err, &inDoubt)
	p.restart()
	require.Equal(p, append(before, ledger.InDoubt), p.states())
	_, err = p.load(p.to, table.Append, many(50), load.Options{})
	require.ErrorAs(p, err, &inDoubt, "which is not loaded again before somebody has looked")
	_, err = p.load(p.to, table.Merge, many(50), load.Options{})
	require.NoError(p, err)
	require.Equal(p, "52 6242", p.rows(), "a merge completes it")
	_, err = ledger.ForgetUnfinished(context.Background(), p.to, inDoubt.Load)
	require.NoError(p, err)
	require.NotContains(p, p.states(), ledger.InDoubt)
}
