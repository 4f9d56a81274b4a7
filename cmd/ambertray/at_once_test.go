package main_test

import (
	"bytes"
	"context"
	"fmt"
	"io/fs"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/connect"
)

// ended is how a program ended.
type ended struct {
	status int
	text   string
}

// together starts commands at the same moment, and returns how they ended.
func (d *desk) together(commands ...[]string) []ended {
	d.Helper()
	outs := make([]bytes.Buffer, len(commands))
	list := make([]ended, len(commands))
	var wait []func()
	for i, args := range commands {
		c := d.command(args...)
		c.Stdout, c.Stderr = &outs[i], &outs[i]
		require.NoError(d, c.Start())
		wait = append(wait, func() {
			_ = c.Wait()
			list[i] = ended{c.ProcessState.ExitCode(), strings.Join(args, " ") + "\n" + outs[i].String()}
		})
	}
	for _, w := range wait {
		w()
	}
	for _, e := range list {
		require.NotContains(d, e.text, "goroutine ")
	}
	return list
}

// count counts how many ended with a status, and wants the others to have ended with one of
// those that are allowed.
func (d *desk) count(list []ended, status int, allowed ...int) (n int) {
	d.Helper()
	for _, e := range list {
		if e.status == status {
			n++
		} else {
			require.Contains(d, allowed, e.status, e.text)
		}
	}
	return n
}

// clean wants no draft of a file in the folder: what one program left, another would read.
func (d *desk) clean() {
	d.Helper()
	require.NoError(d, filepath.WalkDir(d.dir, func(path string, _ fs.DirEntry, err error) error {
		require.NotContains(d, filepath.Base(path), ".new", "a file that was not put in place")
		return err
	}))
}

// TestAtOnce starts the same command several times at the same moment, in one folder and on one
// target: what must happen once happens once, and the others say why not.
func TestAtOnce(t *testing.T) {
	const programs = 3
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := strings.ToLower(uniqueTable(t)) + "_x" // a number at the end would not be part of the name
		rows := func(want int) {
			t.Helper()
			target, err := connect.Open(context.Background(), to, connect.Options{})
			require.NoError(t, err)
			defer target.Close()
			n, err := target.Count(context.Background(), table)
			require.NoError(t, err)
			require.Equal(t, int64(want), n)
		}
		same := func(args ...string) (list [][]string) {
			for range programs {
				list = append(list, append(args, "--to", to))
			}
			return list
		}
		var text strings.Builder
		text.WriteString("no,day\n")
		for i := range 3000 {
			fmt.Fprintf(&text, "%d,2026-01-%02d\n", i, 1+i%28)
		}
		text.WriteString("x,2026-02-01\n")
		file := table + ".csv"
		d.write(file, text.String())

		const failed, rejects, again, later = 1, 3, 5, 7
		list := d.together(same("load", file, "--change", "no.type=integer", "--change", "key=no")...)
		require.Equal(t, 1, d.count(list, rejects, failed, again, later), list)
		rows(3000)
		d.clean()

		found, err := filepath.Glob(filepath.Join(d.dir, table+".tray", "loads", "*", "rejects.csv"))
		require.NoError(t, err)
		require.Len(t, found, 1, "only a load that took place keeps rejects")
		rejected, err := filepath.Rel(d.dir, found[0])
		require.NoError(t, err)
		d.write(rejected, strings.Replace(d.read(rejected), ",x,2026", ",3000,2026", 1))
		list = d.together(same("mend", table+".tray")...)
		require.Positive(t, d.count(list, 0, failed, later), list) // one that comes late finds nothing to mend
		rows(3001)
		d.clean()

		list = d.together(same("load", table+".tray", "--existing", "rebuild", "--again", "--yes")...)
		require.Positive(t, d.count(list, rejects, failed, later), list)
		rows(3000)
		var next [][]string
		for m := range programs {
			month := fmt.Sprintf("%s-%d.csv", table, m)
			d.write(month, fmt.Sprintf("no,day\n%d,2026-03-01\n%d,2026-03-02\n", 5000+2*m, 5001+2*m))
			next = append(next, []string{"load", table + ".tray", month, "--existing", "append", "--to", to})
		}
		list = d.together(next...)
		d.count(list, 0, failed, later)
		for m := range programs {
			if list[m].status != 0 {
				d.run(0, next[m]...)
			}
			d.run(again, next[m]...)
		}
		rows(3000 + 2*programs)
		d.run(0, "verify", table+".tray", table+"-1.csv", "--to", to)
		d.clean()

		d.write(table+"-9.csv", "no,day\n6000,2026-03-01\n6001,2026-03-02\nx,2026-03-03\n")
		receipt := d.json(rejects, "load", table+".tray", table+"-9.csv", "--existing", "append", "--to", to)
		load, kept := receipt["id"].(string), receipt["rejects"].(map[string]any)["file"].(string)
		d.write(kept, strings.Replace(d.read(kept), ",x,2026", ",6002,2026", 1))
		list = d.together(append(same("undo", load), []string{"mend", table + ".tray", "--to", to})...)
		undone := d.count(list[:programs], 0, failed, later)
		require.LessOrEqual(t, undone, 1, list)
		if undone == 0 { // all came while it was mended
			d.run(0, "undo", load, "--to", to)
		}
		rows(3000 + 2*programs)
		d.run(failed, "mend", table+".tray", "--load", receipt["load"].(string), "--to", to)
	})
}
