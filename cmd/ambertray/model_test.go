package main_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// model is what a table must contain after each command.
type model struct {
	*desk
	rng             *rand.Rand
	to, tray, table string
	names           map[int]string // of the rows of the table, by their key
	files           int
	loads           []*appended
}

// appended is a load that appended rows.
type appended struct {
	id, file string
	names    map[int]string // of the rows that it loaded
	rejected int
	gone     bool // undone, or replaced
}

const modelKeys = 40

// file writes a file of records with different keys. Those with the key x are rejected.
func (m *model) file(records int) (name string, names map[int]string, bad int) {
	m.files++
	name, names = fmt.Sprintf("finds-%03d.csv", m.files), map[int]string{}
	text := "no,name\n"
	for _, key := range m.rng.Perm(modelKeys)[:records] {
		if m.rng.IntN(8) == 0 {
			bad++
			text += "x,nothing\n"
			continue
		}
		names[key] = []string{"ant", "bee", "eel", `"fern, moss"`, "", "Ö"}[m.rng.IntN(6)]
		text += fmt.Sprintf("%d,%s\n", key, names[key])
	}
	m.write(name, text)
	return name, names, bad
}

// status returns the exit status of a load with this number of rejects.
func (m *model) status(rejected int) int {
	if rejected > 0 {
		return 3
	}
	return 0
}

// counted checks the counts of a receipt.
func (m *model) counted(receipt map[string]any, loaded, rejected int) {
	m.Helper()
	counts := receipt["counts"].(map[string]any)
	require.Equal(m, []any{float64(loaded + rejected), float64(loaded), float64(rejected)}, []any{counts["read"], counts["loaded"], counts["rejected"]})
}

// add appends a file. Rows with an existing key are rejected.
func (m *model) add() {
	m.Helper()
	name, names, bad := m.file(1 + m.rng.IntN(8))
	load := &appended{file: name, names: map[int]string{}, rejected: bad}
	for key, value := range names {
		_, there := m.names[key]
		if there {
			load.rejected++
			continue
		}
		load.names[key], m.names[key] = value, value
	}
	r := m.json(m.status(load.rejected), "load", m.tray, name, "--to", m.to, "--existing", "append")
	m.counted(r, len(load.names), load.rejected)
	load.id = r["id"].(string)
	m.loads = append(m.loads, load)
}

// merge merges a file. Rows with an existing key are updated.
func (m *model) merge() {
	m.Helper()
	name, names, bad := m.file(1 + m.rng.IntN(8))
	r := m.json(m.status(bad), "load", m.tray, name, "--to", m.to, "--existing", "merge", "--yes")
	m.counted(r, len(names), bad)
	maps.Copy(m.names, names)
}

// replace loads a file after emptying or rebuilding the table.
func (m *model) replace(how string) {
	m.Helper()
	name, names, bad := m.file(5 + m.rng.IntN(20))
	r := m.json(m.status(bad), "load", m.tray, name, "--to", m.to, "--existing", how, "--yes")
	m.counted(r, len(names), bad)
	m.names = names
	for _, load := range m.loads {
		load.gone = true
	}
}

// again loads a file again, which is refused while the table contains it.
func (m *model) again(load *appended) {
	m.Helper()
	if !load.gone {
		m.run(5, "load", m.tray, load.file, "--to", m.to, "--existing", "append")
	}
}

// intact reports whether the table still has all rows of a load, unchanged.
func (m *model) intact(load *appended) bool {
	for key, value := range load.names {
		now, there := m.names[key]
		if !there || now != value {
			return false
		}
	}
	return true
}

// undo removes the rows of a load if all of them are still unchanged.
func (m *model) undo(load *appended) {
	m.Helper()
	if load.gone || !m.intact(load) {
		m.run(1, "undo", load.id, "--to", m.to)
		return
	}
	r := m.json(0, "undo", load.id, "--to", m.to)
	require.Equal(m, float64(len(load.names)), r["removed"])
	load.gone = true
	for key := range load.names {
		delete(m.names, key)
	}
}

// verify compares the table with the file of a load whose every record was loaded.
func (m *model) verify(load *appended) {
	m.Helper()
	if load.rejected > 0 || load.gone {
		return
	}
	status := 4
	if m.intact(load) {
		status = 0
	}
	m.run(status, "verify", m.tray, load.file, "--to", m.to)
}

// look compares the table with the model.
func (m *model) look(step string) {
	m.Helper()
	out, _ := m.run(0, "export", "--query", "SELECT no, name FROM "+m.table+" ORDER BY no", "--from", m.to, "--out", "-", "--no-header")
	var want strings.Builder
	for _, key := range slices.Sorted(maps.Keys(m.names)) {
		fmt.Fprintf(&want, "%d,%s\n", key, m.names[key])
	}
	require.Equal(m, want.String(), out, step)
}

// TestModel runs random commands and compares the table with the model after each.
func TestModel(t *testing.T) {
	const steps = 25
	onEach(t, func(t *testing.T, d *desk, _, to string) {
		m := &model{desk: d, rng: rand.New(rand.NewPCG(11, 5)), to: to, table: uniqueTable(t), tray: "finds.tray"}
		file, names, bad := m.file(30)
		m.run(m.status(bad), "load", file, "--to", to, "--tray", m.tray, "--table", m.table, "--change", "no.type=integer", "--change", "key=no", "--change", "name.nullable=true")
		m.names = names
		m.add()
		for i := range steps {
			load := m.loads[m.rng.IntN(len(m.loads))]
			step := map[int]string{0: "merge", 1: "replace", 2: "again", 3: "undo", 4: "undo", 5: "verify", 6: "undo the last"}[m.rng.IntN(10)]
			switch step {
			case "merge":
				m.merge()
			case "replace":
				m.replace([]string{"empty", "rebuild"}[m.rng.IntN(2)])
			case "again":
				m.again(load)
			case "undo":
				m.undo(load)
			case "verify":
				m.verify(load)
			case "undo the last":
				m.undo(m.loads[len(m.loads)-1])
			default:
				m.add()
			}
			m.look(fmt.Sprintf("step %d: %s", i, step))
		}
	})
}
