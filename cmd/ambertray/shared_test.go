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
