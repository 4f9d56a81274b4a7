package databasetest

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// goesOn interrupts a load that commits in parts again and again, and wants all
// of it once in the end, with everything that the server and we have rejected.
func goesOn(t *testing.T, open func() database.Target) {
	filler := strings.Repeat("gnat ", 24) // few records are quicker to load than many short ones
	name := table.Column{From: "name", Name: "name", Type: table.Type{Kind: table.Text}, Nullable: true}
	var text strings.Builder
	text.WriteString("no,name,day\n")
	for i := range 8000 {
		switch i % 1200 {
		case 7:
			fmt.Fprintf(&text, "7,%s,2026-01-01\n", filler) // which is there, but for the first
		case 8:
			fmt.Fprintf(&text, "%d,%s,never\n", i, filler)
		default:
			fmt.Fprintf(&text, "%d,%s,2026-01-%02d\n", i, filler, i%28+1)
		}
	}
	for _, existing := range []table.Existing{table.Refuse, table.Append, table.Empty} {
		tr := stock(t, text.String(), no, name, day)
		tr.Table.Name, tr.Table.Existing = "parts_"+existing.String(), existing
		want := load.Counts{Read: 8000, Loaded: 8000 - 13, Rejected: 13}
		after := want.Loaded
		if existing != table.Refuse {
			first := stock(t, "no,name,day\n-1,,\n7,,2026-02-02\n", no, name, day)
			first.Table.Name = tr.Table.Name
			to := open()
			_, err := load.Run(context.Background(), first, &source.Opener{}, to, load.Options{})
			require.NoError(t, err)
			require.NoError(t, to.Close())
		}
		if existing == table.Append {
			want.Loaded, want.Rejected = want.Loaded-1, want.Rejected+1
			after = want.Loaded + 2
		}
		others := existing == table.Empty // write a row between two parts
		r := interrupted(t, open, tr, others)
		require.Equal(t, want, counts(r), existing)
		require.True(t, r.Verified)
		require.Equal(t, load.EveryRow, r.Verify, "the rows of others are not among them")
		require.Greater(t, r.ResumedFrom, int64(3000))
		to := open()
		if others {
			after++
		}
		requireRows(t, to, tr.Table.Name, after)
		v, err := load.Verify(context.Background(), tr, &source.Opener{}, to, load.VerifyOptions{})
		require.NoError(t, err)
		require.Empty(t, v.Differences)
		last := states(t, to, tr.Table.Name)
		require.Equal(t, ledger.Loaded, last[len(last)-1])
		require.NotContains(t, last, ledger.Partial)
		require.NoError(t, to.Close())
	}
}

// interrupted loads a tray in parts and is interrupted later each time.
func interrupted(t *testing.T, open func() database.Target, tr *tray.Tray, others bool) *load.Receipt {
	for stop := int64(600); ; stop += 1600 {
		to := open()
		ctx, cancel := context.WithCancel(context.Background())
		o := load.Options{Every: 1100, Progress: func(p pass.Progress) {
			if p.Records > stop {
				cancel()
			}
		}}
		r, err := load.Run(ctx, tr, &source.Opener{}, to, o)
		cancel()
		if others && stop > 4000 && r == nil {
			other := open()
			_, err := other.Exec(context.Background(), "INSERT INTO "+tr.Table.Name+" (no) VALUES (-5)")
			require.NoError(t, err)
			require.NoError(t, other.Close())
			others = false
		}
		require.NoError(t, to.Close())
		if r != nil {
			require.NoError(t, err)
			require.Equal(t, "0001", r.Load, "all of them are one load")
			return r
		}
		var partial *load.PartialError
		require.Equal(t, stop > 1200, errors.As(err, &partial), "%v", err)
	}
}
