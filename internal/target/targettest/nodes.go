package targettest

import (
	"context"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/pass"
	"ambertray/internal/probe"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/target"
)

// failing is a target one of whose nodes dies just before a commit.
type failing struct {
	target.Target
	die func() error
}

type failingTx struct {
	target.Tx
	die func() error
}

func (f *failing) Storage(ctx context.Context, name string) (target.Storage, error) {
	return f.Target.(target.Stored).Storage(ctx, name)
}

func (f *failing) Begin(ctx context.Context) (target.Tx, error) {
	tx, err := f.Target.Begin(ctx)
	return &failingTx{tx, f.die}, err
}

// Commit fails when the rows are to be committed, not the entry before them.
func (f *failingTx) Commit(ctx context.Context, entry *ledger.Entry) error {
	if entry == nil {
		if err := f.die(); err != nil {
			return err
		}
	}
	return f.Tx.Commit(ctx, entry)
}

// Nodes loads into a table called pieces with the columns no, a key, and name,
// whose rows lie on two servers, and on which no name may be "bad".
func Nodes(t *testing.T, open func() target.Target, second *Server) {
	ctx, from := context.Background(), &source.Opener{}
	to := open()
	defer to.Close()
	name := table.Column{From: "name", Name: "name", Type: table.Type{Kind: table.Varchar, Size: 5}, Nullable: true}
	run := func(to target.Target, existing table.Existing, text string, o load.Options) (*load.Receipt, error) {
		tr := NewTray(t, "pieces", "no,name\n"+text, no, name)
		tr.Table.Existing, tr.Table.Key = existing, []string{"no"}
		return load.Run(ctx, tr, from, to, o)
	}
	many := func(from, rows int) string {
		var text strings.Builder
		for i := range rows {
			text.WriteString(strconv.Itoa(from+i) + ",x\n")
		}
		return text.String()
	}
	there := func() string {
		rows, err := to.Query(ctx, "SELECT count(*), coalesce(sum(no), 0) FROM pieces")
		require.NoError(t, err)
		return strings.Join(rows[0], " ")
	}
	states := func() (list []string) {
		entries, err := ledger.Read(ctx, to, "")
		require.NoError(t, err)
		for _, e := range entries {
			list = append(list, string(e.State))
		}
		return list
	}

	text := "1,a\n2,bad\n3,c\n1,twice\n5,long name\n"
	r, err := run(to, table.Append, text, load.Options{})
	require.NoError(t, err)
	require.Equal(t, load.Counts{Read: 5, Loaded: 2, Rejected: 3, TableAfter: 2}, r.Counts)
	require.True(t, r.Verified)
	require.Contains(t, strings.Join(r.Remarks, "\n"), "node1, node2")
	require.Equal(t, []string{"loaded"}, states())
	var again *load.AgainError
	_, err = run(to, table.Append, text, load.Options{})
	require.ErrorAs(t, err, &again)
	_, err = run(to, table.Append, "4,d\n", load.Options{Every: 1})
	require.ErrorIs(t, err, load.ErrOneCommit)

	_, err = run(to, table.Empty, "8,h\n9,bad\n", load.Options{})
	require.NoError(t, err)
	require.Equal(t, "1 8", there(), "an empty table is filled, also where a row is refused")
	r, err = run(to, table.Merge, "8,H\n9,i\n", load.Options{})
	require.NoError(t, err)
	require.Equal(t, target.Merged{Inserted: 1, Updated: 1, Agree: 2}, *r.Merged)

	tested, err := probe.Run(ctx, to)
	require.NoError(t, err)
	require.True(t, tested.Able())
	require.Contains(t, tested.Facts, target.Fact{Name: "table pieces", Value: "on other servers: node1, node2", Mend: target.ServersMend})

	die := func() error {
		err := second.Kill()
		t.Cleanup(func() { second.Restart(t) })
		return err
	}
	before := states()
	killed := false
	_, err = run(to, table.Append, many(100, 50_000), load.Options{Progress: func(pass.Progress) {
		if !killed {
			killed = true
			require.NoError(t, die())
		}
	}})
	require.Error(t, err)
	second.Restart(t)
	to.Close()
	to = open()
	require.Equal(t, "2 17", there(), "a node died in the middle")
	require.Equal(t, before, states())

	var inDoubt *load.DoubtError
	_, err = run(&failing{to, die}, table.Append, many(100, 50), load.Options{})
	require.ErrorAs(t, err, &inDoubt)
	second.Restart(t)
	to.Close()
	to = open()
	require.Equal(t, append(before, "in doubt"), states())
	_, err = run(to, table.Append, many(100, 50), load.Options{})
	require.ErrorAs(t, err, &inDoubt, "which is not loaded again before somebody has looked")
	_, err = run(to, table.Merge, many(100, 50), load.Options{})
	require.NoError(t, err)
	require.Equal(t, "52 6242", there(), "a merge completes it")
	_, err = ledger.ForgetUnfinished(ctx, to, inDoubt.Load)
	require.NoError(t, err)
	require.NotContains(t, states(), "in doubt")
}
