package screen

import (
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"
	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"
	"github.com/dustin/go-humanize"

	"ambertray/internal/dialect"
	"ambertray/internal/load"
	"ambertray/internal/review"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/term"
)

// fewColours uses the 16 basic colours, for terminals without others.
func fewColours() {
	amber, red, faint = amber.Foreground(lipgloss.Yellow), red.Foreground(lipgloss.Red), faint.Foreground(lipgloss.NoColor{})
}

// The styles: amber marks what matters, red what is lost.
var (
	amber  = lipgloss.NewStyle().Foreground(lipgloss.Color("214"))
	red    = lipgloss.NewStyle().Foreground(lipgloss.Color("203"))
	faint  = lipgloss.NewStyle().Foreground(lipgloss.Color("245"))
	bold   = lipgloss.NewStyle().Bold(true)
	chosen = lipgloss.NewStyle().Reverse(true)
)

// View implements tea.Model.
func (m *model) View() tea.View {
	v := tea.NewView(m.draw())
	v.AltScreen = true
	return v
}

func (m *model) draw() string {
	if m.width < minWidth || m.height < minHeight {
		return fmt.Sprintf("The terminal has %d × %d characters; review needs %d × %d.\nMake it larger, or press q and edit the tray.", m.width, m.height, minWidth, minHeight)
	}
	if m.mode == reading {
		return m.drawDefinition()
	}
	lines := []string{m.drawTitle(), ""}
	lines = append(lines, m.drawColumns()...)
	lines = append(lines, faint.Render(strings.Repeat("─", m.width)))
	lines = append(lines, m.drawDetail()...)
	lines = append(lines, faint.Render(strings.Repeat("─", m.width)))
	lines = append(lines, m.drawSample()...)
	for len(lines) < m.height-footerHeight {
		lines = append(lines, "")
	}
	lines = append(lines[:m.height-footerHeight], m.drawFooter()...)
	for i := range lines {
		lines[i] = ansi.Truncate(lines[i], m.width, "…")
	}
	return strings.Join(lines, "\n")
}

// The heights of the parts of the screen.
const (
	footerHeight = 3
	detailHeight = 3
	fixedHeight  = 2 + 1 + 1 + detailHeight + 1 + 1 + footerHeight // title, heading of columns, lines, heading of rows
)

// listHeight is how many columns are shown, sampleHeight how many rows.
func (m *model) listHeight() int   { return min(len(m.columns()), (m.height-fixedHeight+1)*3/5) }
func (m *model) sampleHeight() int { return m.height - fixedHeight - m.listHeight() }

// drawTitle says what is reviewed, and what the plan does with the whole source.
func (m *model) drawTitle() string {
	s := m.session
	left := bold.Render(clean(m.title)) + " → " + bold.Render(clean(s.Tray().Table.Name))
	if s.Changed() || s.IsDraft() {
		left += faint.Render(" (not saved)")
	}
	return left + "   " + m.state()
}

func (m *model) state() string {
	records := term.Amount(m.session.Survey.Records, "record")
	switch {
	case m.looking:
		return faint.Render("reading the whole source" + m.share())
	case m.check == nil && m.fault != "":
		return red.Render("not checked")
	case m.check == nil:
		return faint.Render(records + " · checking" + m.share())
	case !m.check.Possible() && len(m.session.Live) > 0:
		return records + " · " + red.Render("does not fit the table: "+m.misfit())
	case m.check.Rejected() > 0:
		return records + " · " + red.Render(term.Count(m.check.Rejected())+" rejected") + m.firstReject()
	}
	return term.Amount(m.check.Records, "record") + " · none rejected"
}

// misfit names the first column that does not fit the table.
func (m *model) misfit() string {
	for _, v := range m.check.Columns {
		if v.Verdict == load.Cannot {
			return clean(v.Name + ": " + v.Why)
		}
	}
	return ""
}

func (m *model) share() string {
	if m.progress.Size == 0 {
		return "…"
	}
	return fmt.Sprintf(", %d %%", 100*m.progress.Bytes/m.progress.Size)
}

// firstReject names the first record that is rejected.
func (m *model) firstReject() string {
	groups := slices.Clone(m.check.WouldReject)
	if len(groups) == 0 {
		return ""
	}
	first := groups[0]
	for _, g := range groups {
		if g.Line < first.Line {
			first = g
		}
	}
	return faint.Render(fmt.Sprintf(", the first on %s %s", m.session.Survey.Layout.LineWord(), term.Count(first.Line)))
}

// The widths of the list of columns. What is left is for the evidence.
const (
	headingWidth = 18
	nameWidth    = 18
	typeWidth    = 16
	nullWidth    = 5
	keyWidth     = 4
)

// drawColumns draws the list of columns.
func (m *model) drawColumns() []string {
	columns, height := m.columns(), m.listHeight()
	m.top = max(min(m.top, m.at), m.at-height+1, 0)
	head := "  " + fit("heading", headingWidth) + fit("name", nameWidth) + fit("type", typeWidth) + fit("null", nullWidth) + fit("key", keyWidth)
	if len(m.session.Live) > 0 {
		head += fit("table", typeWidth)
	}
	lines := []string{faint.Render(head + "because")}
	for i := m.top; i < min(m.top+height, len(columns)); i++ {
		lines = append(lines, m.drawColumn(i))
	}
	for len(lines) <= height {
		lines = append(lines, "")
	}
	return lines
}

func (m *model) drawColumn(i int) string {
	c := &m.columns()[i]
	mark := "  "
	if i == m.at {
		mark = "> "
	}
	heading := c.From
	if c.Value != "" {
		heading = c.Value
	}
	if c.LeaveOut {
		line := mark + fit(heading, headingWidth) + "left out"
		return m.highlight(i, faint.Render(line), line)
	}
	null, key := "", ""
	if c.Nullable {
		null = "NULL"
	}
	at := slices.Index(m.session.Tray().Table.Key, c.Name)
	if at >= 0 {
		key = "key"
	}
	typ, rest := fit(c.Type.String(), typeWidth), ""
	if len(m.session.Live) > 0 {
		native := "–"
		l := m.session.LiveColumn(c)
		if l != nil {
			native = l.Native
		}
		rest = fit(native, typeWidth)
	}
	why, bad := m.because(c)
	plain := mark + fit(heading, headingWidth) + fit(c.Name, nameWidth) + typ + fit(null, nullWidth) + fit(key, keyWidth) + rest
	painted := mark + fit(heading, headingWidth) + fit(c.Name, nameWidth) + amber.Render(typ) + fit(null, nullWidth) + fit(key, keyWidth) + rest
	if bad {
		return m.highlight(i, painted+red.Render(why), plain+why)
	}
	return m.highlight(i, painted+faint.Render(why), plain+why)
}

// highlight reverses the line of the column that is looked at.
func (m *model) highlight(i int, painted, plain string) string {
	if i != m.at {
		return painted
	}
	return chosen.Render(fit(ansi.Truncate(plain, m.width-1, "…"), m.width))
}

// because says why a column is as it is, or what is wrong with it.
func (m *model) because(c *table.Column) (text string, bad bool) {
	if m.check != nil {
		for _, v := range m.check.Columns {
			if strings.EqualFold(v.Name, c.Name) && v.Verdict != load.Fits {
				return clean(v.Why), true
			}
		}
	}
	p := m.session.Profile(c)
	switch {
	case p == nil:
		return "computed", false
	case p.Choice.Type != c.Type || p.Obstacle == nil:
		return clean(p.Evidence), false
	}
	return clean(*p.Obstacle), false
}

// drawDetail says all about the column that is looked at.
func (m *model) drawDetail() []string {
	c := m.column()
	p := m.session.Profile(c)
	if p == nil {
		return []string{faint.Render("computed: ") + clean(c.Value), "", ""}
	}
	facts := fmt.Sprintf("%s blank · %s distinct", humanize.Comma(p.Blanks), humanize.Comma(p.Distinct))
	if p.Min != nil && p.Max != nil {
		facts += fmt.Sprintf(" · %s … %s", short(*p.Min), short(*p.Max))
	}
	for _, extra := range [][2]string{{"format", c.Format}, {"NULL words", strings.Join(c.NullWords, ", ")}, {"comment", c.Comment}} {
		if extra[1] != "" {
			facts += " · " + extra[0] + " " + amber.Render(short(extra[1]))
		}
	}
	if c.Default != nil {
		facts += " · default " + amber.Render(short(*c.Default))
	}
	return []string{facts, m.why(c, p), m.drawRemedies(c)}
}

// why says what is rejected for a column, or why it is as it is.
func (m *model) why(c *table.Column, p *survey.Column) string {
	if m.check != nil {
		for _, v := range m.check.Columns {
			if v.Verdict == load.Cannot && strings.EqualFold(v.Name, c.Name) {
				return red.Render(clean(v.Why))
			}
		}
		for _, g := range m.check.WouldReject {
			if g.Column == c.Name {
				return red.Render(fmt.Sprintf("%s rejected", term.Count(g.Count))) + fmt.Sprintf(": %s, the first %q on %s %s",
					clean(g.Reason), short(g.Example), m.session.Survey.Layout.LineWord(), term.Count(g.Line))
			}
		}
	}
	if p.Obstacle != nil && p.Choice.Type == c.Type {
		return clean(*p.Obstacle)
	}
	return clean(p.Evidence)
}

func (m *model) drawRemedies(c *table.Column) string {
	var list []string
	for i, r := range m.session.Remedies(c)[:min(len(m.session.Remedies(c)), 3)] {
		list = append(list, amber.Render(fmt.Sprint(i+1))+" "+clean(r.What))
	}
	return strings.Join(list, "   ")
}

// longestCell is how wide a value of the sample is shown.
const longestCell = 24

// drawSample draws sample rows as they will be in the table, with the column that is
// looked at among them.
func (m *model) drawSample() []string {
	height := m.sampleHeight()
	rows := m.rows[min(m.row, len(m.rows)):min(m.row+height, len(m.rows))]
	from := m.at
	widths := make([]int, len(m.columns()))
	for i := range widths {
		widths[i] = ansi.StringWidth(clean(review.ID(&m.columns()[i])))
		for _, row := range rows {
			widths[i] = max(widths[i], ansi.StringWidth(cellText(row[i])))
		}
		widths[i] = min(widths[i], longestCell) + 2
	}
	for room := m.width - widths[m.at]; from > 0 && room >= widths[from-1]; from-- {
		room -= widths[from-1]
	}
	lines := make([]string, 1, height+1)
	for i := from; i < len(widths); i++ {
		name := fit(clean(review.ID(&m.columns()[i])), widths[i])
		if i == m.at {
			lines[0] += bold.Render(name)
		} else {
			lines[0] += faint.Render(name)
		}
	}
	for _, row := range rows {
		line := ""
		for i := from; i < len(widths); i++ {
			line += m.drawCell(row[i], &m.columns()[i], widths[i])
		}
		lines = append(lines, line)
	}
	return lines
}

// cellText marks a value that would be rejected, and shows a blank.
func cellText(c review.Cell) string {
	switch {
	case c.Reason != "":
		return "!" + clean(c.Text)
	case c.Null:
		return "·"
	}
	return clean(c.Text)
}

func (m *model) drawCell(cell review.Cell, c *table.Column, width int) string {
	text := fit(cellText(cell), width)
	switch {
	case cell.Reason != "":
		return red.Render(text)
	case cell.Null, c.LeaveOut:
		return faint.Render(text)
	}
	return text
}

// drawFooter shows the line that is typed or what was done, and the keys.
func (m *model) drawFooter() []string {
	line := clean(m.message)
	switch {
	case m.mode == editing:
		line = amber.Render(m.field.label+" of "+clean(review.ID(m.column()))+": ") + m.input.View()
	case m.mode == searching:
		line = amber.Render("search: ") + m.input.View()
	case m.mode == naming:
		line = amber.Render("load into: ") + m.input.View()
	case m.mode == leaving:
		line = amber.Render("The plan is not saved.")
	}
	if m.fault != "" {
		line = strings.TrimRight(line+"  ", " ")
		if line != "" {
			line += "  "
		}
		line += red.Render(clean(m.fault))
	}
	switch m.mode {
	case editing, searching, naming:
		if m.fault != "" {
			return []string{strings.TrimSuffix(line, "  "+red.Render(clean(m.fault))), red.Render(clean(m.fault)), keys("enter", "take it", "esc", "back")}
		}
		return []string{line, keys("enter", "take it", "esc", "back"), ""}
	case leaving:
		return []string{line, keys("s", "save and leave", "q", "leave without saving", "esc", "back"), ""}
	}
	return []string{
		line,
		keys("t", "type", "n", "name", "f", "format", "w", "words", "z", "null", "k", "key", "d", "default", "c", "comment", "o", "out"),
		keys("↑↓", "go", "PgDn", "rows", "<>", "move", "1", "fix", "/", "find", "u", "undo", "v", "SQL", "s", "save", "l", "load", "q", "quit"),
	}
}

// keys writes keys and what they do.
func keys(pairs ...string) string {
	var list []string
	for i := 0; i < len(pairs); i += 2 {
		list = append(list, amber.Render(pairs[i])+" "+faint.Render(pairs[i+1]))
	}
	return strings.Join(list, "  ")
}

// drawDefinition shows the statements that make the table.
func (m *model) drawDefinition() string {
	d := dialect.All()[m.dialect]
	all := strings.Split(m.session.Definition(d), "\n")
	height := m.height - 4
	m.scroll = max(0, min(m.scroll, len(all)-height))
	lines := []string{bold.Render(clean(m.session.Tray().Table.Name)) + " as " + amber.Render(d.Title) + " writes it", ""}
	for _, l := range all[m.scroll:min(m.scroll+height, len(all))] {
		lines = append(lines, ansi.Truncate(clean(l), m.width, "…"))
	}
	for len(lines) < m.height-1 {
		lines = append(lines, "")
	}
	return strings.Join(append(lines, keys("← →", "server", "↑↓", "scroll", "esc", "back")), "\n")
}

// fit makes a text as wide as it has room, with a space at its end.
func fit(text string, width int) string {
	text = ansi.Truncate(clean(text), width-1, "…")
	return text + strings.Repeat(" ", max(0, width-ansi.StringWidth(text)))
}

func short(text string) string { return ansi.Truncate(clean(text), longestCell, "…") }

// clean leaves nothing in a text that a terminal would do something at.
func clean(text string) string { return term.Inert(text) }
