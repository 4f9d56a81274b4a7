package tray

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/template"
)

// Error is a mistake in a tray file and the place where it stands.
type Error struct {
	File         string
	Line, Column int
	What         string
}

func (e *Error) Error() string { return e.Place() + ": " + e.What }

// Place returns the file, line and column.
func (e *Error) Place() string { return fmt.Sprintf("%s:%d:%d", e.File, e.Line, e.Column) }

// Read reads the tray in a folder NAME.tray, or its tray.yaml.
func Read(path string) (*Tray, error) {
	dir := filepath.Clean(path)
	if filepath.Base(dir) == planFile {
		dir = filepath.Dir(dir)
	}
	file := filepath.Join(dir, planFile)
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, notTray(dir, err)
	}
	var doc yaml.Node
	err = yaml.Unmarshal(text, &doc)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	t := &Tray{Dir: dir}
	err = t.decode(&doc)
	if err != nil {
		return nil, inFile(err, file)
	}
	return t, nil
}

// NotTrayError is returned for a file that is taken for a tray.
type NotTrayError struct{ File string }

func (e *NotTrayError) Error() string { return e.File + " is a file, not a tray" }

// notTray says why a tray cannot be read.
func notTray(dir string, err error) error {
	info, failed := os.Stat(dir)
	if failed == nil && !info.IsDir() {
		return &NotTrayError{dir}
	}
	return err
}

// inFile says which file a mistake is in.
func inFile(err error, file string) error {
	var at *Error
	if errors.As(err, &at) {
		at.File = file
	}
	return err
}

func (t *Tray) decode(doc *yaml.Node) error {
	if len(doc.Content) == 0 {
		return &Error{Line: 1, Column: 1, What: "the tray is empty"}
	}
	t.Layout = source.DefaultLayout()
	var version string
	root := doc.Content[0]
	err := mapping(root, map[string]decoder{
		"tray":    text(&version, fmt.Sprint(Version)),
		"source":  t.decodeSource,
		"table":   t.decodeTable,
		"columns": t.decodeColumns,
	}, "tray", "source", "table", "columns")
	if err != nil {
		return err
	}
	return t.check(root)
}

func (t *Tray) decodeSource(n *yaml.Node) error {
	keys := map[string]decoder{
		"files": list(&t.Files), "format": text(&t.Layout.Format, source.FormatNames()...), "name_parts": templateText(&t.NameParts),
	}
	set := map[string]string{}
	for _, s := range source.Settings() {
		keys[s.Key] = func(n *yaml.Node) error {
			var val string
			err := text(&val)(n)
			if err != nil {
				return err
			}
			set[s.Key] = val
			err = t.Layout.Set(s.Key, val)
			if err != nil {
				return wrong(n, "%v", err)
			}
			return nil
		}
	}
	err := mapping(n, keys, "files")
	if err != nil {
		return err
	}
	err = source.CheckTogether(func(key string) (string, bool) {
		val, ok := set[key]
		return val, ok
	})
	if err == nil {
		err = t.Layout.CheckSigns()
	}
	if err != nil {
		return wrong(n, "%v", err)
	}
	if len(t.Files) == 0 {
		return wrong(n, "files: write the names of one file or more")
	}
	t.Layout.Fix()
	return nil
}

func (t *Tray) decodeTable(n *yaml.Node) error { return mapping(n, t.tableKeys(), "name") }

// TableKeys returns the keys of the table.
func TableKeys() []string { return sortedKeys((&Tray{}).tableKeys()) }

// tableKeys are the keys of the table, and how each is read.
func (t *Tray) tableKeys() map[string]decoder {
	return map[string]decoder{
		"name": text(&t.Table.Name),
		"existing": func(n *yaml.Node) (err error) {
			t.Table.Existing, err = table.ParseExisting(n.Value)
			if err != nil {
				return wrong(n, "%v", err)
			}
			return nil
		},
		"key":           list(&t.Table.Key),
		"indexes":       t.decodeIndexes,
		"comment":       text(&t.Table.Comment),
		"by_position":   truth(&t.Table.ByPosition),
		"create_schema": truth(&t.Table.CreateSchema),
		"only_new":      truth(&t.Table.OnlyNew),
		"allow_rejects": func(n *yaml.Node) (err error) {
			t.Table.Allow, err = table.ParseAllowance(n.Value)
			if err != nil {
				return wrong(n, "%v", err)
			}
			return nil
		},
	}
}

func (t *Tray) decodeColumns(n *yaml.Node) error {
	if n.Kind != yaml.SequenceNode || len(n.Content) == 0 {
		return wrong(n, "columns: write a list of columns, each with from, name and type")
	}
	for _, item := range n.Content {
		c, err := decodeColumn(item)
		if err != nil {
			return err
		}
		t.Table.Columns = append(t.Table.Columns, c)
	}
	return nil
}

// check compares the parts of the plan with each other.
func (t *Tray) check(root *yaml.Node) error {
	names := map[string]bool{}
	for _, c := range t.Table.Loaded() {
		if names[strings.ToLower(c.Name)] {
			return wrong(find(root, c.Name), "two columns are named %s", c.Name)
		}
		names[strings.ToLower(c.Name)] = true
	}
	headings := map[string]bool{}
	for _, c := range t.Table.Columns {
		for _, h := range append([]string{c.From}, c.Also...) {
			if h != "" && headings[h] && len(c.Also) > 0 {
				return wrong(find(root, h), "two columns are from %q", h)
			}
			headings[h] = true
		}
	}
	err := t.checkNamed(root, "key", t.Table.Key)
	if err != nil {
		return err
	}
	for _, k := range t.Table.Key {
		t.Table.Column(k).Nullable = false
	}
	for _, index := range t.Table.Indexes {
		err := t.checkNamed(root, "indexes", index)
		if err != nil {
			return err
		}
	}
	for _, c := range t.Table.Loaded() {
		err := t.checkRefs(root, c)
		if err != nil {
			return err
		}
	}
	if len(names) == 0 {
		return wrong(root, "every column is left out")
	}
	return nil
}

// checkNamed checks that the columns that a key of the tray names exist and are listed once.
func (t *Tray) checkNamed(root *yaml.Node, key string, columns []string) error {
	for i, name := range columns {
		if t.Table.Column(name) == nil {
			return wrong(find(root, name), "%s: no column %q%s", key, name, nearest(name, columnNames(t.Table.Loaded())))
		}
		if slices.Contains(columns[:i], name) {
			return wrong(find(root, name), "%s: column %q is listed twice", key, name)
		}
	}
	return nil
}

// checkRefs checks that what a computed column refers to exists.
func (t *Tray) checkRefs(root *yaml.Node, c table.Column) error {
	if c.Value == "" {
		return nil
	}
	known := slices.Clone(template.References)
	parts, err := template.Parse(t.NameParts)
	if err == nil {
		known = append(known, parts.Refs()...)
	}
	for _, other := range t.Table.Columns {
		if other.From != "" {
			known = append(append(known, other.From), other.Also...)
		}
	}
	value, err := template.Parse(c.Value)
	if err != nil {
		return wrong(find(root, c.Value), "column %s: value %v", c.Name, err)
	}
	for _, ref := range value.Refs() {
		if !slices.Contains(known, ref) {
			return wrong(find(root, c.Value), "column %s: value: unknown reference {%s}%s", c.Name, ref, nearest(ref, known))
		}
	}
	return nil
}

func (t *Tray) decodeIndexes(n *yaml.Node) error {
	err := n.Decode(&t.Table.Indexes)
	if err != nil {
		return wrong(n, "write a list of lists of columns here, such as [[due_back], [borrower, loan_no]]")
	}
	return nil
}

func columnNames(cols []table.Column) []string {
	var names []string
	for _, c := range cols {
		names = append(names, c.Name)
	}
	return names
}
