package screen

import (
	"errors"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"ambertray/internal/dialect"
	"ambertray/internal/review"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// field is a key of a column that is typed.
type field struct {
	key, label string
	of         func(c *table.Column) string
}

// fields are what is typed, by the key that is pressed.
var fields = map[string]field{
	"t": {"type", "type", func(c *table.Column) string { return c.Type.String() }},
	"n": {"name", "name", func(c *table.Column) string { return c.Name }},
	"f": {"format", "format", func(c *table.Column) string { return c.Format }},
	"w": {"null_words", "words for NULL", func(c *table.Column) string { return strings.Join(c.NullWords, ", ") }},
	"d": {"default", "default", func(c *table.Column) string {
		if c.Default == nil {
			return ""
		}
		return *c.Default
	}},
	"c": {"comment", "comment", func(c *table.Column) string { return c.Comment }},
}

func (m *model) typing() bool { return m.mode == editing || m.mode == searching || m.mode == naming }

// press does what a key means.
func (m *model) press(key tea.KeyPressMsg) tea.Cmd {
	k := key.String()
	if k == "ctrl+c" {
		return tea.Quit
	}
	switch m.mode {
	case browsing:
		return m.browse(k)
	case reading:
		return m.read(k)
	case leaving:
		return m.leave(k)
	}
	switch k {
	case "esc":
		m.mode, m.fault = browsing, ""
		return nil
	case "enter":
		return m.entered(strings.TrimSpace(m.input.Value()))
	}
	return m.typed(key)
}

// typed hands a key to the line that is typed. A search goes along.
func (m *model) typed(msg tea.Msg) tea.Cmd {
	var cmd tea.Cmd
	m.input, cmd = m.input.Update(msg)
	if m.mode == searching {
		m.search(m.input.Value(), 0)
	}
	return cmd
}

// entered takes what was typed.
func (m *model) entered(text string) tea.Cmd {
	switch m.mode {
	case searching:
		m.mode = browsing
		return nil
	case naming:
		if text == "" {
			return nil
		}
		m.outcome.To = text
		return m.saveAndLoad()
	}
	c := m.column()
	if text == m.field.of(c) {
		m.mode = browsing
		return nil
	}
	cmd := m.changed(m.session.Set(review.ID(c), [2]string{m.field.key, text}), m.field.label+" changed")
	if m.fault == "" {
		m.mode = browsing
	}
	return cmd
}

// browse moves between columns and changes the one that is looked at.
func (m *model) browse(k string) tea.Cmd {
	c, last := m.column(), len(m.columns())-1
	f, ok := fields[k]
	if ok {
		return m.edit(f)
	}
	switch k {
	case "up":
		m.at = max(m.at-1, 0)
	case "down", "tab":
		m.at = min(m.at+1, last)
	case "home":
		m.at = 0
	case "end":
		m.at = last
	case "pgdown":
		m.row = max(0, min(m.row+m.sampleHeight(), len(m.rows)-m.sampleHeight()))
	case "pgup":
		m.row = max(m.row-m.sampleHeight(), 0)
	case "<", ",":
		return m.move(-1)
	case ">", ".":
		return m.move(1)
	case "z":
		return m.changed(m.session.ToggleNull(c), "")
	case "k":
		return m.toggleKey(c)
	case "o":
		return m.changed(m.session.LeaveOut(c), "")
	case "1", "2", "3":
		return m.remedy(int(k[0] - '1'))
	default:
		return m.command(k)
	}
	return nil
}

// command does what is not about one column.
func (m *model) command(k string) tea.Cmd {
	switch k {
	case "u":
		if !m.session.Undo() {
			m.message = "nothing to undo"
			return nil
		}
		return m.changed(nil, "change undone")
	case "/":
		m.mode = searching
		return m.ask("")
	case "N", "ctrl+n":
		m.search(m.input.Value(), 1)
	case "v":
		m.mode, m.scroll = reading, 0
	case "s":
		m.save()
	case "l":
		if !m.target {
			m.mode = naming
			return m.ask("")
		}
		return m.saveAndLoad()
	case "q", "esc":
		if !m.session.Changed() {
			return tea.Quit
		}
		m.mode = leaving
	}
	return nil
}

func (m *model) edit(f field) tea.Cmd {
	c := m.column()
	if c.LeaveOut {
		m.fault = "the column is left out; o takes it in again"
		return nil
	}
	m.mode, m.field, m.fault, m.message = editing, f, "", ""
	return m.ask(f.of(c))
}

// ask begins a line that is typed.
func (m *model) ask(text string) tea.Cmd {
	m.input.SetValue(text)
	m.input.CursorEnd()
	return m.input.Focus()
}

func (m *model) move(by int) tea.Cmd {
	id := review.ID(m.column())
	cmd := m.changed(m.session.Do(tray.Step{Column: id, By: by}), "moved")
	m.find(id)
	return cmd
}

func (m *model) toggleKey(c *table.Column) tea.Cmd {
	if c.LeaveOut {
		m.fault = "the column is left out; o takes it in again"
		return nil
	}
	return m.changed(m.session.ToggleKey(c), "")
}

func (m *model) remedy(i int) tea.Cmd {
	remedies := m.session.Remedies(m.column())
	if i >= len(remedies) {
		return nil
	}
	return m.changed(m.session.Set(review.ID(m.column()), remedies[i].Keys...), remedies[i].What)
}

// search goes to the next column whose heading or name has the text.
func (m *model) search(text string, from int) {
	text = strings.ToLower(strings.TrimSpace(text))
	columns := m.columns()
	for i := range columns {
		at := (m.at + from + i) % len(columns)
		c := &columns[at]
		if text != "" && (strings.Contains(strings.ToLower(c.From), text) || strings.Contains(strings.ToLower(c.Name), text)) {
			m.at = at
			return
		}
	}
}

// save writes the plan, and reports whether that was possible.
func (m *model) save() bool {
	err := m.session.Save()
	m.fault, m.message = "", "saved "+m.session.Tray().Dir+"/tray.yaml"
	if errors.Is(err, tray.ErrChangedBeside) {
		err = fmt.Errorf("%w: nothing was written; quit with q and open the plan again", err)
	}
	if err != nil {
		m.fault, m.message = err.Error(), ""
		return false
	}
	m.outcome.Saved = true
	return true
}

func (m *model) saveAndLoad() tea.Cmd {
	m.mode = browsing
	if (m.session.Changed() || m.session.IsDraft()) && !m.save() {
		return nil
	}
	m.outcome.Load = true
	return tea.Quit
}

// read scrolls the definition.
func (m *model) read(k string) tea.Cmd {
	all := len(dialect.All())
	switch k {
	case "up":
		m.scroll = max(m.scroll-1, 0)
	case "down":
		m.scroll++
	case "right", "tab":
		m.dialect = (m.dialect + 1) % all
	case "left":
		m.dialect = (m.dialect + all - 1) % all
	case "esc", "q", "v", "enter":
		m.mode = browsing
	}
	return nil
}

// leave asks what becomes of changes.
func (m *model) leave(k string) tea.Cmd {
	switch k {
	case "s":
		m.mode = browsing
		if m.save() {
			return tea.Quit
		}
	case "q":
		return tea.Quit
	case "esc":
		m.mode = browsing
	}
	return nil
}
