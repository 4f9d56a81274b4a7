package main_test

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/databasetest"
	"ambertray/internal/ledger"
)

// TestShared lets several programs share out one load, and kills them at random moments.
// Whoever is left ends with every record loaded once.
func TestShared(t *testing.T) {
	rounds, err := strconv.Atoi(cmp.Or(os.Getenv("AMBERTRAY_TEST_SHARED_ROUNDS"), "3"))
	require.NoError(t, err)
	for name, variable := range map[string]string{"postgres": "TEST_POSTGRES", "mysql": "TEST_MYSQL"} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			server := databasetest.NewServer(t, variable)
			f := &faulty{desk: newDesk(t), server: &faultServer{Server: server, url: server.URL}, loaded: faultRecords - faultRepeats, exit: 3}
			f.write("finds.csv", f.file())
			killed := 0
			for round := range rounds {
				killed += f.share(round)
			}
			t.Logf("killed %d loaders in %d rounds", killed, rounds)
			require.Positive(t, killed)
		})
	}
}

// sharedLoader is a loader among others.
type sharedLoader struct {
	*exec.Cmd
	said bytes.Buffer
	done chan struct{}
}

// share lets four loaders share one load, and kills up to three of them, which others then
// take the place of. In every third round one is stopped instead, and goes on when the
// others have ended. It returns how many were killed before their end.
func (f *faulty) share(round int) (killed int) {
	f.Helper()
	before := f.begin(round % 2)
	args := append(f.args, "--to", f.server.url, "--shared", "--lease", "2s", "--commit-every", "3997", "--allow-rejects", "any")
	begin := func() *sharedLoader {
		l := &sharedLoader{Cmd: f.command(args...), done: make(chan struct{})}
		l.Stderr = &l.said
		require.NoError(f, l.Start())
		go func() { _ = l.Wait(); close(l.done) }()
		return l
	}
	var loaders []*sharedLoader
	for range 4 {
		loaders = append(loaders, begin())
	}
	var stopped *sharedLoader
	for _, l := range loaders[:3] {
		time.Sleep(time.Duration(rand.Float64() * float64(700*time.Millisecond)))
		if round%3 == 2 && stopped == nil {
			stopped = l
			_ = l.Process.Signal(syscall.SIGSTOP)
			continue
		}
		_ = l.Process.Kill()
		<-l.done
		if !l.ProcessState.Exited() {
			killed++
		}
		if rand.IntN(2) == 0 {
			loaders = append(loaders, begin())
		}
	}
	for _, l := range loaders {
		if l == stopped {
			continue
		}
		<-l.done
		if stopped == nil && l.ProcessState.Exited() {
			lost := strings.Contains(l.said.String(), "the lease of the share has run out") // on a machine that is busy
			require.True(f, lost || slices.Contains([]int{3, 5}, l.ProcessState.ExitCode()), "there are rejects, or the others had ended: %s", &l.said)
		}
	}
	if stopped != nil {
		_ = stopped.Process.Signal(syscall.SIGCONT)
		<-stopped.done
	}
	f.proveShares(before)
	return killed
}

// proveShares wants every record once, and every share to be proved by somebody.
func (f *faulty) proveShares(before int64) {
	f.Helper()
	rows, loaded := f.count()
	require.Equal(f, f.loaded, loaded)
	require.Equal(f, before+f.loaded, rows)
	require.Equal(f, fmt.Sprint(rows), f.ask("SELECT count(DISTINCT no) FROM "+f.table))
	to := f.open()
	defer to.Close()
	identity, err := database.Identity(context.Background(), to, f.table)
	require.NoError(f, err)
	entries, err := ledger.Read(context.Background(), to, identity)
	require.NoError(f, err)
	last := entries[len(entries)-1]
	shares, err := ledger.Shares(context.Background(), to, last.ID)
	require.NoError(f, err)
	require.Len(f, shares, last.Shares)
	sum := int64(0)
	for _, s := range shares {
		require.NotNil(f, s.Proof)
		sum += s.Proof.Loaded + s.Proof.Rejected
	}
	require.Equal(f, int64(faultRecords), sum)
	out, _ := f.run(0, "history", "--to", f.server.url, "--shares", last.ID)
	require.Equal(f, last.Shares, strings.Count(out, "  proved  "), out)
	f.run(0, "verify", f.table+".tray", "--to", f.server.url)
}

// TestSharedRefused refuses what cannot be shared, and loaders that do not fit a load that
// others have begun. None of them changes anything, and the load can be completed.
func TestSharedRefused(t *testing.T) {
	all := targets(t)
	d := newDesk(t)
	for _, c := range []struct {
		status int
		args   string
		says   string
	}{
		{1, "--to museum.db --shared", "only PostgreSQL, MySQL and MariaDB support shared loads\n  leave out --shared"},
		{1, "--to " + all["postgres"] + " --shared --existing merge", "--existing merge: a shared load can only create its table or append to it\n  leave out --shared"},
		{1, "--to " + all["postgres"] + " --shared --no-ledger", "ledger"},
		{2, "--to " + all["postgres"] + " --shared --lease 10ms", "--lease 10ms: write a time of at least 1s, such as 1m"},
		{2, "--to " + all["postgres"] + " --shared --each", "leave out --each"},
	} {
		_, errOut := d.run(c.status, append([]string{"load", "specimens.csv"}, strings.Fields(c.args)...)...)
		require.Contains(t, errOut, c.says, c.args)
	}
	for _, server := range []string{"postgres", "mysql"} {
		t.Run(server, func(t *testing.T) { refuseLoaders(t, all[server]) })
	}
}

// refuseLoaders begins a shared load, whose last share has a reject that is not allowed,
// and kills a load of one loader, and tries to continue each in other ways.
func refuseLoaders(t *testing.T, to string) {
	d, name := newDesk(t), uniqueTable(t)
	var text strings.Builder
	text.WriteString("no,name\n")
	for i := range 500 {
		fmt.Fprintf(&text, "%d,beetle\n", i)
	}
	source := text.String() + "500,\n"
	d.write("finds.csv", source)
	d.run(0, "draft", "finds.csv", "--table", name, "--change", "name.nullable=false")
	plan := d.read("finds.tray/tray.yaml")
	d.write("other.tray/tray.yaml", strings.ReplaceAll(strings.ReplaceAll(plan, "integer", "bigint"), "smallint", "bigint"))
	load := func(status int, args ...string) string {
		t.Helper()
		out, errOut := d.run(status, append([]string{"load", "--to", to, "--commit-every", "100"}, args...)...)
		return out + errOut
	}
	require.Contains(t, load(6, "finds.tray", "--shared", "--allow-rejects", "0"), "5 of 6 shares of load ")
	loads := d.json(0, "history", "--to", to, "--table", name)["loads"].([]any)
	require.Len(t, loads, 1)
	id := loads[0].(map[string]any)["id"].(string)
	shares := func() string {
		var states []string
		for _, s := range d.json(0, "history", "--to", to, "--shares", id)["shares"].([]any) {
			states = append(states, s.(map[string]any)["state"].(string))
		}
		return strings.Join(states, " ")
	}
	require.Equal(t, "proved proved proved proved proved free", shares())

	require.Contains(t, load(1, "finds.tray"), "unfinished, and begun as a shared load\n  add --shared to continue")
	require.Contains(t, load(1, "other.tray", "--shared"), "another loader uses a different plan\n  copy the tray.yaml of the other loaders")
	d.write("finds.csv", text.String()+"500,moth\n")
	require.Contains(t, load(1, "finds.tray", "--shared"), "is unfinished, and its content differs from this source\n  load the original source")
	d.write("finds.csv", source)
	require.Equal(t, "proved proved proved proved proved free", shares())

	require.Contains(t, load(3, "finds.tray", "--shared", "--allow-rejects", "any"), "500 loaded")
	require.Equal(t, "proved proved proved proved proved proved", shares())
	load(5, "finds.tray", "--shared", "--allow-rejects", "any")
	d.run(0, "verify", "finds.tray", "--to", to)

	_, errOut := d.run(1, "history", "--to", to, "--shares", "none")
	require.Contains(t, errOut, "none")
	d.writeMany("notes.csv", "no,name", "@,beetle", 300_000)
	d.run(0, "draft", "notes.csv", "--table", name+"_notes")
	c := d.command("load", "notes.tray", "--to", to, "--commit-every", "1000")
	require.NoError(t, c.Start())
	history := func() []any { return d.json(0, "history", "--to", to, "--table", name+"_notes")["loads"].([]any) }
	require.Eventually(t, func() bool {
		loads := history()
		return len(loads) > 0 && loads[0].(map[string]any)["loaded"].(float64) > 0 // a checkpoint is committed
	}, 10*time.Second, time.Millisecond)
	require.NoError(t, c.Process.Kill())
	require.Error(t, c.Wait())
	require.Contains(t, load(1, "notes.tray", "--shared"), "unfinished, and not begun as a shared load\n  leave out --shared to continue")
	d.write("notes.csv", source)
	require.Contains(t, load(1, "notes.tray"), "is unfinished, and its content differs from this source")
	alone := history()[0].(map[string]any)["id"].(string)
	_, errOut = d.run(1, "history", "--to", to, "--shares", alone)
	require.Contains(t, errOut, "is not a shared load")
}

// TestSharedNotes loads a source in shares: the notes on the whole are those of a load of one piece.
func TestSharedNotes(t *testing.T) {
	var text strings.Builder
	text.WriteString("no,name,room,donor\n")
	for i := range 1000 {
		fmt.Fprintf(&text, "%d,%s,%s,Sam\n", i, []string{"ant", "N/A", "", "-"}[i%4], []string{"east", "unknown", "west \"a\""}[i%3])
		if i%100 == 99 {
			fmt.Fprintf(&text, "Total,,%d,\n", i)
		}
	}
	for _, server := range []string{"postgres", "mysql"} {
		t.Run(server, func(t *testing.T) {
			to := targets(t)[server]
			d, name := newDesk(t), uniqueTable(t)
			d.write("finds.csv", text.String())
			d.run(0, "draft", "finds.csv", "--table", name, "--change", "name.null_words=[N/A, -]", "--change", "room.null_words=[unknown]",
				"--change", "room.default=store", "--change", "donor.leave_out=true", "--change", "no.type=varchar(10)")
			notes := func(args ...string) []any {
				return d.json(0, append([]string{"load", "finds.tray", "--allow-rejects", "any"}, args...)...)["notes"].([]any)
			}
			whole := notes("--to", "finds.db")
			require.Len(t, whole, 5)
			require.Equal(t, whole, notes("--to", to, "--shared", "--commit-every", "100"))
		})
	}
}

// TestSharedRejects completes a shared load with a loader that keeps none or only some of the rejects, as
// if the other one had run on another machine. The receipt names their places, and a verification
// knows them by their number.
func TestSharedRejects(t *testing.T) {
	for _, server := range []string{"postgres", "mysql"} {
		for _, here := range []int{0, 1} {
			t.Run(fmt.Sprint(server, here), func(t *testing.T) {
				to := targets(t)[server]
				d, name := newDesk(t), uniqueTable(t)
				d.writeMany("finds.csv", "no,name", "@,beetle", 300)
				d.write("old.csv", "no,name\n5,moth\n")
				d.write("odd.csv", "no,name\n250,moth\n")
				d.run(0, "load", "old.csv", "--to", to, "--table", name, "--change", "key=no")
				odd := d.json(0, "load", "odd.csv", "--to", to, "--table", name, "--existing", "append")["id"].(string)
				load := func(status int, tray, allow string) string {
					d.run(0, "draft", "finds.csv", "--tray", tray, "--to", to, "--table", name)
					out, _ := d.run(status, "load", tray, "--to", to, "--shared", "--commit-every", "100", "--existing", "append", "--allow-rejects", allow)
					return out
				}
				load(6, "first.tray", "1")
				if here == 0 {
					d.run(0, "undo", odd, "--to", to)
				}
				kept := []string{"1 record, kept by other loaders\n", "2 records, 1 of them kept in second.tray/loads/0002/rejects.csv, and the others by other loaders\n"}
				require.Contains(t, load(3, "second.tray", "any"), "  rejected   "+kept[here])
				require.Len(t, d.json(0, "rejects", "second.tray")["by_reason"], here)
				said, _ := d.run(0, "rejects", "second.tray")
				require.Regexp(t, "note +rejects of share 1: 1 row, kept by loader .* in first.tray/loads/0001\n", said)
				v := d.json(0, "verify", "second.tray", "--to", to)
				require.Equal(t, []any{true, float64(1 + here), nil}, []any{v["verified"], v["would_reject"], v["rows_differ"]})
				require.Equal(t, 1.0, v["rejected_elsewhere"].(map[string]any)["changed"], "its key is in the table")
				said, _ = d.run(0, "verify", "second.tray", "--to", to)
				require.Contains(t, said, "1 row of the source is not in the table; other loaders have rejected the same number of rows and keep them; ")
			})
		}
	}
}
