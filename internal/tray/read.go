package tray

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/agnivade/levenshtein"
	"go.yaml.in/yaml/v3"

	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Error is a mistake in a tray file and the place where it stands.
type Error struct {
	File         string
	Line, Column int
	What         string
}

func (e *Error) Error() string {
	return fmt.Sprintf("%s:%d:%d: %s", e.File, e.Line, e.Column, e.What)
}

// Read reads the tray in a folder NAME.tray, or its tray.yaml.
func Read(path string) (*Tray, error) {
	dir := filepath.Clean(path)
	if filepath.Base(dir) == planFile {
		dir = filepath.Dir(dir)
	}
	file := filepath.Join(dir, planFile)
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	var doc yaml.Node
	if err := yaml.Unmarshal(text, &doc); err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	t := &Tray{Dir: dir}
	if err := t.decode(&doc); err != nil {
		var at *Error
		if errors.As(err, &at) {
			at.File = file
		}
		return nil, err
	}
	return t, nil
}

// decoder reads one node into the tray.
type decoder func(n *yaml.Node) error

func (t *Tray) decode(doc *yaml.Node) error {
	if len(doc.Content) == 0 {
		return &Error{Line: 1, Column: 1, What: "the tray is empty"}
	}
	t.Layout = source.DefaultLayout()
	var version, existing string
	root := doc.Content[0]
	err := mapping(root, map[string]decoder{
		"tray":    text(&version, fmt.Sprint(Version)),
		"source":  t.decodeSource,
		"table":   func(n *yaml.Node) error { return t.decodeTable(n, &existing) },
		"columns": t.decodeColumns,
	}, "tray", "source", "table", "columns")
	if err != nil {
		return err
	}
	return t.check(root)
}

func (t *Tray) decodeSource(n *yaml.Node) error {
	keys := map[string]decoder{"files": list(&t.Files), "format": text(&t.Layout.Format, "delimited")}
	for _, s := range source.Settings {
		keys[s.Key] = func(n *yaml.Node) error {
			var val string
			if err := text(&val)(n); err != nil {
				return err
			}
			if err := t.Layout.Set(s.Key, val); err != nil {
				return wrong(n, "%v", err)
			}
			return nil
		}
	}
	return mapping(n, keys, "files")
}

func (t *Tray) decodeTable(n *yaml.Node, existing *string) error {
	return mapping(n, map[string]decoder{
		"name":     text(&t.Table.Name),
		"existing": text(existing, "refuse"),
		"key":      list(&t.Table.Key),
	}, "name")
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

func decodeColumn(n *yaml.Node) (table.Column, error) {
	c := table.Column{Nullable: true}
	var typ, format *yaml.Node
	err := mapping(n, map[string]decoder{
		"from":       text(&c.From),
		"name":       text(&c.Name),
		"type":       func(n *yaml.Node) error { typ = n; return nil },
		"format":     func(n *yaml.Node) error { format = n; return text(&c.Format)(n) },
		"nullable":   truth(&c.Nullable),
		"leave_out":  truth(&c.LeaveOut),
		"thousands":  text(&c.Thousands, ",", "."),
		"decimal":    text(&c.Decimal, ",", "."),
		"null_words": list(&c.NullWords),
	}, "from")
	if err != nil || c.LeaveOut {
		return c, err
	}
	if c.Name == "" || typ == nil {
		return c, wrong(n, "column %q: it needs a name and a type, or leave_out: true", c.From)
	}
	if c.Type, err = table.ParseType(typ.Value); err != nil {
		return c, wrong(typ, "column %s: %v", c.Name, err)
	}
	if format != nil {
		err = checkFormat(c, format)
	}
	return c, err
}

func checkFormat(c table.Column, n *yaml.Node) error {
	kinds := map[table.Kind]value.Kind{table.Date: value.Date, table.Time: value.Time, table.Timestamp: value.Timestamp}
	kind, ok := kinds[c.Type.Kind]
	if !ok {
		return wrong(n, "column %s: only dates and times have a format, not %s", c.Name, c.Type)
	}
	if _, err := value.ParseFormat(c.Format, kind); err != nil {
		return wrong(n, "column %s: %v", c.Name, err)
	}
	return nil
}

// check holds the parts of the plan against each other.
func (t *Tray) check(root *yaml.Node) error {
	names := map[string]bool{}
	for _, c := range t.Table.Loaded() {
		if names[strings.ToLower(c.Name)] {
			return wrong(find(root, c.Name), "two columns are called %s", c.Name)
		}
		names[strings.ToLower(c.Name)] = true
	}
	for _, k := range t.Table.Key {
		c := t.Table.Column(k)
		if c == nil {
			return wrong(find(root, k), "key: there is no column %q%s", k, nearest(k, columnNames(t.Table.Loaded())))
		}
		c.Nullable = false
	}
	if len(names) == 0 {
		return wrong(root, "every column is left out")
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

// find returns the last scalar with the value, or the node itself.
func find(n *yaml.Node, val string) *yaml.Node {
	found := n
	var walk func(*yaml.Node)
	walk = func(n *yaml.Node) {
		if n.Kind == yaml.ScalarNode && n.Value == val {
			found = n
		}
		for _, c := range n.Content {
			walk(c)
		}
	}
	walk(n)
	return found
}

func wrong(n *yaml.Node, format string, args ...any) error {
	return &Error{Line: n.Line, Column: n.Column, What: fmt.Sprintf(format, args...)}
}

// mapping reads a mapping whose keys have decoders; those required must occur.
func mapping(n *yaml.Node, keys map[string]decoder, required ...string) error {
	if n.Kind != yaml.MappingNode {
		return wrong(n, "write keys and values here: %s", strings.Join(sortedKeys(keys), ", "))
	}
	seen := map[string]bool{}
	for i := 0; i < len(n.Content); i += 2 {
		key, val := n.Content[i], n.Content[i+1]
		d, ok := keys[key.Value]
		if !ok {
			return wrong(key, "unknown key %q%s", key.Value, nearest(key.Value, sortedKeys(keys)))
		}
		if seen[key.Value] {
			return wrong(key, "key %q occurs twice", key.Value)
		}
		seen[key.Value] = true
		if err := d(val); err != nil {
			return err
		}
	}
	for _, k := range required {
		if !seen[k] {
			return wrong(n, "key %q is missing", k)
		}
	}
	return nil
}

func sortedKeys(keys map[string]decoder) []string {
	var names []string
	for k := range keys {
		names = append(names, k)
	}
	slices.Sort(names)
	return names
}

// nearest suggests the most similar of the valid words.
func nearest(word string, valid []string) string {
	best, distance := "", len(word)/2+2
	for _, v := range valid {
		if d := levenshtein.ComputeDistance(word, v); d < distance {
			best, distance = v, d
		}
	}
	if best == "" {
		return "; there are " + strings.Join(valid, ", ")
	}
	return fmt.Sprintf("; did you mean %q?", best)
}

// text reads a scalar, one of the allowed words if there are any.
func text(to *string, allowed ...string) decoder {
	return func(n *yaml.Node) error {
		if n.Kind != yaml.ScalarNode {
			return wrong(n, "write a single value here")
		}
		if len(allowed) > 0 && !slices.Contains(allowed, n.Value) {
			return wrong(n, "%q is not understood here; write %s", n.Value, strings.Join(allowed, " or "))
		}
		*to = n.Value
		return nil
	}
}

func list(to *[]string) decoder {
	return func(n *yaml.Node) error {
		if err := n.Decode(to); err != nil {
			return wrong(n, "write a list here, such as [one, two]")
		}
		return nil
	}
}

func truth(to *bool) decoder {
	return func(n *yaml.Node) error {
		if err := n.Decode(to); err != nil {
			return wrong(n, "write true or false, not %q", n.Value)
		}
		return nil
	}
}
