package cli

import (
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/load"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

func (a *app) drawDraft(d *drafted, t *tray.Tray) {
	p, s := a.print, d.Of
	p.Fact("source", "%s", p.Bold(s.Source))
	a.drawLayout(s)
	p.Fact("table", "%s%s", p.Bold(t.Table.Name), keyText(t))
	p.Line("")
	planned := map[string]*table.Column{}
	for i := range slices.Backward(t.Table.Columns) { // the first of those from one heading is shown
		planned[t.Table.Columns[i].From] = &t.Table.Columns[i]
	}
	var rows [][]string
	for i, c := range s.Columns {
		name, typ, null, why := c.Name, c.Type, "not null", c.Evidence
		plan := planned[c.Heading]
		if plan != nil {
			name, typ, null = plannedAs(plan)
			if plan.Blank {
				why = "blank in every record: a record with a value in it will be rejected"
			}
		}
		rows = append(rows, []string{c.Heading, name, p.Amber(typ), null, keyMark(t, &s.Columns[i], name), p.Faint(why)})
	}
	for i := range t.Table.Columns {
		c := &t.Table.Columns[i]
		if c.Value != "" {
			name, typ, null := plannedAs(c)
			rows = append(rows, []string{term.Shorten(c.Value, 24), name, p.Amber(typ), null, "", p.Faint(strings.Join(t.Notes[c.Name], "; "))})
		}
	}
	p.Table([]term.Column{{Title: "heading", Max: 24}, {Title: "column"}, {Title: "type"}, {Title: ""}, {Title: ""}, {Title: "evidence"}}, rows)
	a.drawNotes(a.print, s.Notes, &s.Layout, 0, "")
	if d.Match != nil {
		a.drawMatch(d.Match)
	}
	if d.Again != nil {
		a.drawAgain(d, t)
	}
	a.drawWouldReject(d.Check, t)
	what := "Written to %s/tray.yaml."
	if d.Again != nil && d.Again.Same() {
		what = "The plan in %s/tray.yaml is unchanged."
	}
	edit := " Edit it as you like, then:"
	if d.Match != nil && len(d.Match.Unfilled) > 0 {
		edit = " Give the missing columns values, then:"
	}
	p.Next(fmt.Sprintf(what+edit, t.Dir), a.withTarget("ambertray load "+shellWord(t.Dir)+" --to TARGET"))
}

// plannedAs returns what the plan makes of a column.
func plannedAs(c *table.Column) (name, typ, null string) {
	switch {
	case c.LeaveOut:
		return "", "left out", ""
	case c.Nullable:
		return c.Name, c.Type.String(), "null"
	}
	return c.Name, c.Type.String(), "not null"
}

// keyMark says whether a column is in the key, or could be the key.
func keyMark(t *tray.Tray, c *survey.Column, name string) string {
	if slices.Contains(t.Table.Key, name) {
		return "key"
	}
	return uniqueText(c)
}

// drawAgain shows what became of a tray that was there already.
func (a *app) drawAgain(d *drafted, t *tray.Tray) {
	p := a.print
	p.Line("")
	if d.Again.Same() {
		p.Fact("tray", "unchanged: the source asks for no change")
	}
	var kept, changed []string
	for _, k := range d.Again.Kept {
		kept = append(kept, fmt.Sprintf("%s: %s (drafted now: %s)", k.Where, p.Amber(orNone(k.Yours)), orNone(k.Drafted)))
	}
	for _, k := range d.Again.Changed {
		changed = append(changed, fmt.Sprintf("%s: %s → %s", k.Where, orNone(k.Yours), p.Amber(orNone(k.Drafted))))
	}
	for _, list := range []struct {
		label string
		lines []string
	}{{"yours", kept}, {"changed", changed}} {
		if list.lines != nil {
			p.Fact(list.label, "%s", strings.Join(list.lines, "\n"))
		}
	}
	for _, heading := range d.Again.Removed {
		p.Fact("removed", "%s", p.Red(fmt.Sprintf("column %q, which the source no longer has", heading)))
	}
	for _, heading := range d.Again.Gone {
		text := fmt.Sprintf("the source no longer has column %q", heading)
		options := optionalText(&t.Table, heading) // none if a change of this command has dealt with it
		if options != nil {
			text += "; remove it from the tray, or write " + strings.Join(options, " ")
		}
		p.Fact("gone", "%s", p.Red(text))
	}
}

// drawWouldReject shows what the plan as it stands would reject.
func (a *app) drawWouldReject(c *load.Check, t *tray.Tray) {
	if c != nil && c.Rejected() > 0 {
		a.print.Fact("rejects", "%s", a.print.Red(fmt.Sprintf("%s would be rejected by this plan", term.Amount(c.Rejected(), "record"))))
		a.drawGroups(c.WouldReject, &t.Layout)
	}
}

func orNone(s string) string {
	if s == "" {
		return "none"
	}
	return s
}

func keyText(t *tray.Tray) string {
	if len(t.Table.Key) == 0 {
		return " · no key"
	}
	text := " · key "
	for i, k := range t.Table.Key {
		if i > 0 {
			text += ", "
		}
		text += k
	}
	return text
}

// drawMatch shows how headings were matched to an existing table.
func (a *app) drawMatch(m *load.Match) {
	p := a.print
	p.Line("")
	byName := 0
	for _, c := range m.Columns {
		if c.By == load.ByName {
			byName++
		}
	}
	p.Fact("matched", "%d of %s, %d of them by name", len(m.Columns), term.Amount(int64(len(m.Columns)+len(m.Without)), "heading"), byName)
	for _, c := range m.Columns {
		if c.By != load.ByName {
			p.Fact("", "%s to %s, by %s", c.Heading, p.Bold(c.Column), c.By)
		}
	}
	for _, u := range m.Without {
		why := "has no column; no column is left that takes its values"
		switch {
		case u.Unsupported != nil:
			why = fmt.Sprintf("its column is %s, a type that is not supported", *u.Unsupported)
		case len(u.Nearest) > 0:
			why = "has no column; these are free: " + strings.Join(u.Nearest, ", ")
		}
		p.Fact("left out", "%s", p.Red(u.Heading+": "+why))
	}
	if len(m.Unfilled) > 0 {
		p.Fact("missing", "%s", p.Red("no value for "+strings.Join(m.Unfilled, ", ")+", which need one: --change COLUMN.value=VALUE gives one"))
	}
}
