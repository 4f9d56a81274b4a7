package tray

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"unicode"

	"github.com/agnivade/levenshtein"
	"go.yaml.in/yaml/v3"

	"ambertray/internal/convert"
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
		return nil, inFile(err, file)
	}
	return t, nil
}

// inFile says which file a mistake is in.
func inFile(err error, file string) error {
	var at *Error
	if errors.As(err, &at) {
		at.File = file
	}
	return err
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
	keys := map[string]decoder{
		"files": list(&t.Files), "format": text(&t.Layout.Format, "delimited"), "name_parts": template(&t.NameParts),
	}
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
		"indexes":  t.decodeIndexes,
		"comment":  text(&t.Table.Comment),
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
	var typ, format, byDefault *yaml.Node
	keys := map[string]decoder{
		"from":        text(&c.From),
		"value":       template(&c.Value),
		"name":        text(&c.Name),
		"type":        func(n *yaml.Node) error { typ = n; return nil },
		"format":      func(n *yaml.Node) error { format = n; return text(&c.Format)(n) },
		"nullable":    truth(&c.Nullable),
		"leave_out":   truth(&c.LeaveOut),
		"default":     func(n *yaml.Node) error { byDefault, c.Default = n, new(string); return text(c.Default)(n) },
		"comment":     text(&c.Comment),
		"thousands":   text(&c.Thousands, ",", ".", " ", "'"),
		"decimal":     text(&c.Decimal, ",", "."),
		"currency":    currency(&c.Currency),
		"percent":     truth(&c.Percent),
		"null_words":  list(&c.NullWords),
		"true_words":  list(&c.TrueWords),
		"false_words": list(&c.FalseWords),
		"trim":        truth(&c.Trim),
		"words":       pairs(&c.Words),
		"pad_zeros":   number(&c.PadZeros),
		"letter_case": text(&c.LetterCase, "upper", "lower"),
	}
	if err := mapping(n, keys); err != nil {
		return c, err
	}
	if (c.From == "") == (c.Value == "") {
		return c, wrong(n, "a column has either from, the heading in the source, or value, what it is made of")
	}
	if c.LeaveOut {
		return c, nil
	}
	if c.Name == "" || typ == nil {
		return c, wrong(n, "column %q: it needs a name and a type, or leave_out: true", c.From+c.Value)
	}
	return c, completeColumn(&c, n, typ, format, byDefault)
}

// completeColumn sets the type and holds the rules of a column against it.
func completeColumn(c *table.Column, n, typ, format, byDefault *yaml.Node) (err error) {
	if c.Type, err = table.ParseType(typ.Value); err != nil {
		return wrong(typ, "column %s: %v", c.Name, err)
	}
	if strings.ContainsFunc(c.Name, unicode.IsControl) || strings.TrimSpace(c.Name) != c.Name {
		return wrong(find(n, c.Name), "column %q: a name has no control characters, and no space at its ends", c.Name)
	}
	numeric := c.Type.Whole() || c.Type.Kind == table.Decimal || c.Type.Kind == table.Double
	if (c.Percent || c.Currency != "") && !numeric {
		return wrong(n, "column %s: only numbers have a percent sign or a currency, not %s", c.Name, c.Type)
	}
	if len(c.TrueWords)+len(c.FalseWords) > 0 && (c.Type.Kind != table.Boolean || len(c.TrueWords) == 0 || len(c.FalseWords) == 0) {
		return wrong(n, "column %s: true_words and false_words are for boolean, and go together", c.Name)
	}
	if c.Thousands != "" && (c.Thousands == c.Decimal || c.Thousands == "." && c.Decimal == "") {
		return wrong(n, "column %s: %q cannot be both the thousands separator and the decimal sign", c.Name, c.Thousands)
	}
	if format != nil {
		if err := checkFormat(*c, format); err != nil {
			return err
		}
	}
	if byDefault != nil {
		if _, err := convert.Default(*c); err != nil {
			return wrong(byDefault, "%v", err)
		}
	}
	return nil
}

func checkFormat(c table.Column, n *yaml.Node) error {
	kinds := map[table.Kind]value.Kind{table.Date: value.Date, table.Time: value.Time, table.Timestamp: value.Timestamp, table.TimestampTZ: value.Instant}
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
	for i, list := range append([][]string{t.Table.Key}, t.Table.Indexes...) {
		for _, k := range list {
			c := t.Table.Column(k)
			if c == nil {
				return wrong(find(root, k), "key: there is no column %q%s", k, nearest(k, columnNames(t.Table.Loaded())))
			}
			c.Nullable = c.Nullable && i > 0
		}
	}
	for _, c := range t.Table.Loaded() {
		if err := t.checkRefs(root, c); err != nil {
			return err
		}
	}
	if len(names) == 0 {
		return wrong(root, "every column is left out")
	}
	return nil
}

// checkRefs holds what a computed column refers to against what there is.
func (t *Tray) checkRefs(root *yaml.Node, c table.Column) error {
	if c.Value == "" {
		return nil
	}
	known := slices.Clone(convert.Facts)
	if parts, err := convert.ParseTemplate(t.NameParts); err == nil {
		known = append(known, parts.Refs()...)
	}
	for _, other := range t.Table.Columns {
		if other.From != "" {
			known = append(known, other.From)
		}
	}
	value, err := convert.ParseTemplate(c.Value)
	if err != nil {
		return wrong(find(root, c.Value), "column %s: value %v", c.Name, err)
	}
	for _, ref := range value.Refs() {
		if !slices.Contains(known, ref) {
			return wrong(find(root, c.Value), "column %s: value: nothing is called {%s}%s", c.Name, ref, nearest(ref, known))
		}
	}
	return nil
}

func (t *Tray) decodeIndexes(n *yaml.Node) error {
	if err := n.Decode(&t.Table.Indexes); err != nil {
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

// template reads a text with references in braces.
func template(to *string) decoder {
	return func(n *yaml.Node) error {
		if err := text(to)(n); err != nil {
			return err
		}
		if _, err := convert.ParseTemplate(*to); err != nil {
			return wrong(n, "%v", err)
		}
		return nil
	}
}

func currency(to *string) decoder {
	return func(n *yaml.Node) error {
		if _, ok := value.ParseCurrency(n.Value); !ok || n.Value == "" {
			return wrong(n, "%q is no currency that is known here; write a code of ISO 4217, such as EUR, or its sign", n.Value)
		}
		return text(to)(n)
	}
}

func pairs(to *map[string]string) decoder {
	return func(n *yaml.Node) error {
		if err := n.Decode(to); err != nil {
			return wrong(n, "write words and what they stand for, such as {BRN: brown}")
		}
		return nil
	}
}

func number(to *int) decoder {
	return func(n *yaml.Node) error {
		if err := n.Decode(to); err != nil || *to < 0 || *to > 1000 {
			return wrong(n, "write a number from 0 to 1000, not %q", n.Value)
		}
		return nil
	}
}
