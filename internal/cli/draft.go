package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// draftFlags adds the flags of every command that may have to draft a tray.
func draftFlags(c *cobra.Command) *drafting {
	d := &drafting{options: surveyFlags(c)}
	c.Flags().StringVar(&d.dir, "tray", "", "the `FOLDER` of the tray (default NAME.tray, named after the source)")
	c.Flags().StringVar(&d.table, "table", "", "the `NAME` of the table (default: named after the source)")
	c.Flags().StringVar(&d.existing, "existing", "", "what to do with an existing table: refuse, append, empty, rebuild or merge (default: what the tray says)")
	c.Flags().BoolVar(&d.byPosition, "by-position", false, "match the columns to those of an existing table by their order instead of their names")
	c.Flags().StringArrayVar(&d.changes, "change", nil, "change the plan in the tray: `COLUMN.KEY=VALUE` for a column, such as due_back.type=date, or KEY=VALUE for the table, such as key=loan_no; repeatable")
	c.Flags().BoolVar(&d.createSchema, "create-schema", false, "create the schema in SCHEMA.TABLE if it does not exist")
	return d
}

type drafting struct {
	options    func() (survey.Options, error)
	dir, table string
	existing   string

	byPosition, createSchema bool

	changes []string
}

// changesText repeats the changes for a command that drafts once more.
func changesText(d *drafting) (text string) {
	for _, c := range d.changes {
		text += " --change " + shellWord(c)
	}
	return text
}

// changed makes the changes that were typed in a draft.
func (d *drafting) changed(t *tray.Tray) (*tray.Tray, error) {
	changes, err := d.change()
	if err != nil || changes == nil {
		return t, err
	}
	return t.Changed(changes)
}

// change returns the changes that were typed.
func (d *drafting) change() (list []tray.Change, err error) {
	for _, text := range d.changes {
		c, err := tray.ParseChange(text)
		if err == nil && c.Column == "" && (c.Key == "name" && d.table != "" || c.Key == "existing" && d.existing != "") {
			option := map[string]string{"name": "--table", "existing": "--existing"}[c.Key]
			err = fmt.Errorf("--change %s and %s exclude each other", text, option)
		}
		if err != nil {
			return nil, usageError{err}
		}
		list = append(list, c)
	}
	return list, nil
}

// override puts what the command line says of the table into a plan.
func (d *drafting) override(c *cobra.Command, t *tray.Tray) (err error) {
	if c.Flags().Changed("table") && strings.TrimSpace(d.table) == "" {
		return usageError{errors.New("--table: write the name of a table")}
	}
	if d.table != "" {
		t.Table.Name = d.table
	}
	if d.existing != "" {
		t.Table.Existing, err = table.ParseExisting(d.existing)
	}
	if err != nil {
		return usageError{err}
	}
	t.Table.ByPosition = t.Table.ByPosition || d.byPosition
	t.Table.CreateSchema = t.Table.CreateSchema || d.createSchema
	return nil
}

// decided returns the keys of the table that the command line sets.
func (d *drafting) decided() (keys []string) {
	for key, typed := range map[string]bool{"name": d.table != "", "existing": d.existing != "", "by_position": d.byPosition, "create_schema": d.createSchema} {
		if typed {
			keys = append(keys, key)
		}
	}
	return keys
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

// sources returns the files to draft from: those that are named, or those of a tray, which is then
// drafted again.
func (d *drafting) sources(names []string) ([]string, error) {
	if !tray.Is(names[0]) {
		return names, nil
	}
	if len(names) > 1 || d.dir != "" {
		return nil, usageError{errors.New("draft takes one tray, or files")}
	}
	t, err := tray.Read(names[0])
	if err != nil {
		return nil, err
	}
	d.dir = t.Dir
	return t.Paths(), nil
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
	changes, err := d.change()
	if err != nil {
		return nil, nil, err
	}
	o.Expected.Also = tray.OtherHeadings(changes)
	err = keepSettings(&o, dir, names)
	if err != nil {
		return nil, nil, err
	}
	s, err := a.survey(c, names, o)
	if err != nil {
		return nil, nil, err
	}
	d.addFormats(s, changes)
	t := s.Draft(dir)
	t.Drafted(d.decided()...)
	return s, t, d.override(c, t)
}

// keepSettings makes a survey use the settings of the layout that a person has set in the tray, if
// there is one of these files, except for those that are typed now.
func keepSettings(o *survey.Options, dir string, names []string) error {
	if !tray.Exists(dir) {
		return nil
	}
	old, err := tray.Read(dir)
	if err != nil || !old.IsFor(names) { // which is said later
		return err
	}
	own, err := old.OwnSettings()
	if err != nil {
		return err
	}
	typed := o.Override
	var now source.Layout
	typed(&now)
	o.Override = func(l *source.Layout) {
		_ = l.SetAll(func(key string) (val string, ok bool) { // the tray was read
			val, ok = own[key]
			return val, ok && !source.ExcludesAny(key, now.Overrides)
		})
		typed(l)
	}
	return nil
}

// addFormats adds to a change of a type how the values of the column are written, where most of
// them are of this type.
func (d *drafting) addFormats(s *survey.Survey, changes []tray.Change) {
	for _, c := range changes {
		if c.Key != "type" {
			continue
		}
		for _, key := range s.KeysFor(c.Column, c.Value) {
			if !slices.ContainsFunc(changes, func(o tray.Change) bool { return o.Column == c.Column && o.Key == key[0] }) {
				d.changes = append(slices.Clip(d.changes), c.Column+"."+key[0]+"="+key[1]) // files may share them
			}
		}
	}
}

// errTrayExists is returned where the tray of another source has the name.
var errTrayExists = errors.New("a tray with this name already exists")

// plan returns the tray that is named, with the files after it in place of its own, or
// drafts one for the files that are named, with the survey by which it was drafted. An
// existing tray of these files is used as it stands. What the command line changes in a
// tray is written into it. A draft takes the types of the table in the target, unless that is nil.
func (a *app) plan(c *cobra.Command, d *drafting, names []string, to database.Target) (t *tray.Tray, s *survey.Survey, err error) {
	dir, given := names[0], tray.Is(names[0])
	if given && d.dir != "" {
		return nil, nil, usageError{fmt.Errorf("--tray %s and %s are two trays: name one", d.dir, dir)}
	}
	if !given {
		dir, err = d.dirFor(names)
		if err != nil {
			return nil, nil, err
		}
		if !tray.Exists(dir) {
			s, t, err = a.draft(c, d, names)
			if err != nil {
				return nil, nil, err
			}
			adopted, err := load.Adopt(c.Context(), t, to)
			if err != nil {
				return nil, nil, err
			}
			s.Notes = append(s.Notes, adopted...)
			t, err = d.changed(t)
			return t, s, err
		}
	}
	t, err = tray.Read(dir)
	if err != nil {
		return nil, nil, err
	}
	if !given && !t.IsFor(names) {
		return nil, nil, fmt.Errorf("%s is the tray of another source: %w", dir, errTrayExists)
	}
	changes, err := d.change()
	if err != nil {
		return nil, nil, err
	}
	var files []string
	if given {
		files = names[1:]
	}
	err = withoutEffect(c, t, files)
	if err != nil {
		return nil, nil, err
	}
	err = d.adapt(c, t, files) // before anything is written, to see whether it can be done
	if err == nil && changes != nil {
		t, err = tray.Rewrite(dir, changes)
		if err == nil {
			err = d.adapt(c, t, files)
		}
	}
	return t, nil, err
}

// withoutEffect returns an error if an option was typed that does nothing, because the plan exists: a
// draft alone follows it, or it is for another kind of source.
func withoutEffect(c *cobra.Command, t *tray.Tray, files []string) error {
	if c.Flags().Changed("each") { // some may be drafted
		return nil
	}
	for _, option := range []string{"sample", "fit"} {
		if c.Flags().Changed(option) {
			return usageError{fmt.Errorf("--%s is for plans that are drafted, and %s has one: draft it again with --%[1]s, or leave it out", option, t.Dir)}
		}
	}
	if len(files) > 0 { // which may be of another kind
		return nil
	}
	return misapplied(c, t.Files[0], t.Layout.IsText())
}

// adapt applies the options of the command line to a plan, for this run only.
func (d *drafting) adapt(c *cobra.Command, t *tray.Tray, files []string) error {
	err := useFiles(t, files)
	if err == nil {
		err = adjust(d.options, t)
	}
	if err == nil {
		err = d.override(c, t)
	}
	return err
}

// useFiles puts files in the place of the tray's own, if there are any.
func useFiles(t *tray.Tray, names []string) error {
	for _, name := range names {
		if tray.Is(name) {
			return usageError{fmt.Errorf("%s is a tray: name one tray first, then files", name)}
		}
	}
	if len(names) > 0 {
		t.Use(names)
	}
	return nil
}

// written writes the tray of a draft and reads it back: what is loaded is what the
// file says.
func written(s *survey.Survey, t *tray.Tray) (*tray.Tray, error) {
	err := t.Write()
	if err == nil {
		err = s.KeepProfile(t.Dir)
	}
	if err != nil {
		return nil, err
	}
	return tray.Read(t.Dir)
}

// drafted is what draft has to show.
type drafted struct {
	Tray  string         `json:"tray"`
	Table string         `json:"table"`
	Key   []string       `json:"key"`
	Of    *survey.Survey `json:"survey"`
	// Again is what became of a tray that was there already, and Check what
	// its plan, with all that a person has changed, makes of the source now.
	Again *tray.Redrafted `json:"again"`
	Check *load.Check     `json:"check"`
	// Match says how the headings were matched to an existing table, null without one.
	Match *load.Match `json:"match"`
}

func (a *app) newDraft() *cobra.Command {
	c := &cobra.Command{
		Use:   "draft TRAY|SOURCE...",
		Short: "Write a tray with the plan of a load and the reason for each choice",
		Long: `Draft surveys the whole source and writes NAME.tray/tray.yaml, which you can read and
edit. A tray, or files that have one, are drafted again: your changes stay, and those that
the data contradicts are shown.

With --to and --table the plan is for that table if it exists: headings are matched to its
columns by name, by similarity, and by the values that fit, or with --by-position by their
order.`,
		Example: examples("ambertray draft loans.csv", "ambertray draft loans.csv --table museum.loan --existing append", "ambertray draft loans.csv --explain due_back"),
		Args:    cobra.MinimumNArgs(1),
	}
	d := draftFlags(c)
	to := toFlag(c)
	explain := c.Flags().String("explain", "", "explain one `COLUMN` and write nothing")
	c.RunE = func(c *cobra.Command, args []string) error {
		args, err := d.sources(args)
		if err != nil {
			return err
		}
		s, t, err := a.draft(c, d, args)
		if err != nil {
			return err
		}
		if *explain != "" {
			return a.explain(s, *explain)
		}
		res := &drafted{Tray: t.Dir, Of: s}
		if *to != "" {
			res.Match, err = a.match(c, t, *to)
			if err != nil {
				return err
			}
		}
		t, err = a.keepDraft(c, d, res, t, args)
		if err != nil {
			return err
		}
		res.Table, res.Key = t.Table.Name, t.Table.Key
		return a.show(res, func() { a.drawDraft(res, t) })
	}
	return c
}

// keepDraft writes a draft with the changes that were typed, or brings the tray that is
// there up to it. It returns the plan as it then stands.
func (a *app) keepDraft(c *cobra.Command, d *drafting, res *drafted, t *tray.Tray, names []string) (*tray.Tray, error) {
	if tray.Exists(t.Dir) {
		return a.redraft(c, d, res, t, names)
	}
	t, err := d.changed(t)
	if err == nil && d.changes != nil {
		res.Check, err = a.dryRun(c, t)
	}
	if err == nil {
		_, err = written(res.Of, t)
	}
	return t, err
}

// match matches a draft to the table that it names, if the target has it.
func (a *app) match(c *cobra.Command, t *tray.Tray, to string) (*load.Match, error) {
	tgt, err := a.open(c.Context(), to, true)
	if err != nil {
		return nil, err
	}
	defer tgt.Close()
	exists, err := tgt.Exists(c.Context(), t.Table.Name)
	if err != nil || !exists {
		return nil, err
	}
	m, err := load.MatchTable(c.Context(), t, tgt)
	if err != nil {
		return nil, err
	}
	if t.Table.Key == nil {
		delete(t.Notes, "key")
	}
	for _, col := range m.Columns {
		t.Notes[col.Column] = []string{"matched to " + col.Heading + " by " + string(col.By)}
	}
	return m, nil
}

// redraft drafts a tray again and checks the source by it.
func (a *app) redraft(c *cobra.Command, d *drafting, res *drafted, next *tray.Tray, names []string) (t *tray.Tray, err error) {
	changes, err := d.change()
	if err != nil {
		return nil, err
	}
	old, err := tray.Read(next.Dir)
	if err != nil {
		return nil, err
	}
	if !old.IsFor(names) {
		return nil, fmt.Errorf("%s is the tray of another source: %w", next.Dir, errTrayExists)
	}
	t, res.Again, err = next.Redraft(changes)
	if err == nil {
		err = res.Of.KeepProfile(next.Dir)
	}
	if err != nil {
		return t, err
	}
	if len(res.Again.Gone) > 0 {
		return t, nil
	}
	res.Check, err = a.dryRun(c, t)
	return t, err
}

// dryRun counts what the plan would reject.
func (a *app) dryRun(c *cobra.Command, t *tray.Tray) (*load.Check, error) {
	update, done := a.progress("checking")
	defer done()
	return load.DryRun(c.Context(), t, a.from, nil, load.CheckOptions{Progress: update})
}
