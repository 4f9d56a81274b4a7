package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"ambertray/internal/survey"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

// draftFlags adds the flags of every command that may have to draft a tray.
func draftFlags(c *cobra.Command) *drafting {
	d := &drafting{options: surveyFlags(c)}
	c.Flags().StringVar(&d.dir, "tray", "", "the `FOLDER` of the tray (default NAME.tray here, after the source)")
	c.Flags().StringVar(&d.table, "table", "", "the `NAME` of the table (default: after the source)")
	return d
}

type drafting struct {
	options    func() (survey.Options, error)
	dir, table string
}

func (d *drafting) dirFor(names []string) (string, error) {
	if d.dir == "" {
		return tray.DirFor(names[0]), nil
	}
	if !tray.Is(d.dir) {
		return "", usageError{fmt.Errorf("--tray %s: the name of a tray ends in .tray", d.dir)}
	}
	return d.dir, nil
}

// draft surveys a source and makes a plan of it, which is not written yet.
func (a *app) draft(c *cobra.Command, d *drafting, names []string) (*survey.Survey, *tray.Tray, error) {
	dir, err := d.dirFor(names)
	if err != nil {
		return nil, nil, err
	}
	o, err := d.options()
	if err != nil {
		return nil, nil, err
	}
	s, err := a.survey(c, names, o)
	if err != nil {
		return nil, nil, err
	}
	t := s.Draft(dir)
	if d.table != "" {
		t.Table.Name = d.table
	}
	return s, t, nil
}

// errTrayExists is returned by draft, which never overwrites a tray.
var errTrayExists = errors.New("there is such a tray already")

// plan returns the tray that is named, or drafts one for the files that are. A
// tray of these files that is there already is used as it stands.
func (a *app) plan(c *cobra.Command, d *drafting, names []string) (t *tray.Tray, drafted bool, err error) {
	dir, given := names[0], tray.Is(names[0])
	if given && len(names) > 1 {
		return nil, false, usageError{fmt.Errorf("one tray at a time, or the files of one source")}
	}
	if !given {
		if dir, err = d.dirFor(names); err != nil {
			return nil, false, err
		}
	}
	if given || tray.Exists(dir) {
		if t, err = tray.Read(dir); err != nil {
			return nil, false, err
		}
		if !given && !t.IsFor(names) {
			return nil, false, fmt.Errorf("%s is the tray of another source: %w", dir, errTrayExists)
		}
		if d.table != "" {
			t.Table.Name = d.table
		}
		return t, false, nil
	}
	_, t, err = a.draft(c, d, names)
	return t, true, err
}

func (a *app) newDraft() *cobra.Command {
	c := &cobra.Command{
		Use:   "draft SOURCE...",
		Short: "Write a tray: the plan of a load, with the reason for each choice",
		Args:  cobra.MinimumNArgs(1),
	}
	d := draftFlags(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		if dir, err := d.dirFor(args); err == nil && tray.Exists(dir) {
			return fmt.Errorf("%s: %w", dir, errTrayExists)
		}
		s, t, err := a.draft(c, d, args)
		if err != nil {
			return err
		}
		if err := t.Write(); err != nil {
			return err
		}
		result := struct {
			Tray  string         `json:"tray"`
			Table string         `json:"table"`
			Key   []string       `json:"key"`
			Of    *survey.Survey `json:"survey"`
		}{t.Dir, t.Table.Name, t.Table.Key, s}
		return a.show(result, func() { a.drawDraft(s, t) })
	}
	return c
}

func (a *app) drawDraft(s *survey.Survey, t *tray.Tray) {
	p := a.print
	p.Fact("source", "%s", p.Bold(s.Source))
	a.drawLayout(s)
	p.Fact("table", "%s%s", p.Bold(t.Table.Name), keyText(t))
	p.Line("")
	var rows [][]string
	for i, c := range s.Columns {
		null := "null"
		if !t.Table.Columns[i].Nullable {
			null = "not null"
		}
		rows = append(rows, []string{c.Heading, c.Name, p.Amber(c.Type), null, p.Faint(c.Evidence)})
	}
	p.Table([]term.Column{{Title: "heading", Max: 24}, {Title: "column"}, {Title: "type"}, {Title: ""}, {Title: "evidence"}}, rows)
	a.drawInTheWay(s)
	p.Next(fmt.Sprintf("Written to %s/tray.yaml. Edit it as you like, then:", t.Dir), fmt.Sprintf("ambertray load %s --to TARGET", t.Dir))
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
