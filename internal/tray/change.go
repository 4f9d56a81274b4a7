package tray

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"ambertray/internal/publish"
	"ambertray/internal/table"
	"ambertray/internal/template"
)

// Change is a change of a plan that a person asks for without opening it: the value
// of a key of a column, or of the table where Column is empty. An empty value takes
// the key out.
type Change struct {
	Column string // its name in the table, or its heading
	Key    string // as the tray has it
	Value  string // as the tray has it; items of a list are separated by commas
	Text   string // as typed
}

// ParseChange reads COLUMN.KEY=VALUE, or KEY=VALUE for the table.
func ParseChange(text string) (Change, error) {
	where, value, ok := strings.Cut(text, "=")
	c := Change{Key: strings.TrimSpace(where), Value: strings.TrimSpace(value), Text: text}
	at := strings.LastIndex(where, ".")
	if at >= 0 {
		c.Column, c.Key = strings.TrimSpace(where[:at]), strings.TrimSpace(where[at+1:])
	}
	if !ok || c.Key == "" {
		return c, &ChangeError{text, "write COLUMN.KEY=VALUE, such as due_back.type=date, or KEY=VALUE for the table, such as key=loan_no"}
	}
	return c, nil
}

// OtherHeadings returns the headings that changes make others of a column: what each is
// read as.
func OtherHeadings(changes []Change) map[string]string {
	also := map[string]string{}
	for i := range changes {
		c := &changes[i]
		if c.Key != "from" {
			continue
		}
		all := headingsOf(&yaml.Node{Kind: yaml.MappingNode, Content: []*yaml.Node{{Value: "from"}, c.node()}})
		for _, h := range all[min(1, len(all)):] {
			also[h] = all[0]
		}
	}
	return also
}

// ChangeError says why a change is not possible.
type ChangeError struct {
	Text string // of the change
	What string
}

func (e *ChangeError) Error() string { return e.Text + ": " + e.What }

// Changed returns the plan with changes. It is not written; where it is, the draft
// without them stays known, so that they are a person's.
func (t *Tray) Changed(changes []Change) (*Tray, error) {
	decided, err := t.Marshal()
	if err != nil {
		return nil, err
	}
	next, text, err := change(decided, changes)
	if err != nil {
		return nil, err
	}
	next.Dir, next.Notes, next.text = t.Dir, t.Notes, text
	next.drafted, err = t.draftText(decided)
	return next, err
}

// Rewrite makes changes in the file of a tray, whose comments stay, and returns the
// plan as it then stands.
func Rewrite(dir string, changes []Change) (*Tray, error) {
	old, err := Read(dir)
	if err != nil {
		return nil, err
	}
	file := filepath.Join(old.Dir, planFile)
	root, err := readNode(file)
	if err != nil {
		return nil, err
	}
	text, err := encode(root)
	if err != nil {
		return nil, err
	}
	next, changed, err := change(text, changes)
	if err != nil {
		return nil, err
	}
	next.Dir = old.Dir
	if string(changed) == string(text) {
		return next, nil
	}
	return next, publish.File(file, changed)
}

// change makes changes in the text of a plan.
func change(text []byte, changes []Change) (next *Tray, changed []byte, err error) {
	var doc yaml.Node
	err = yaml.Unmarshal(text, &doc)
	if err != nil {
		return nil, nil, err
	}
	for _, c := range changes {
		err := c.apply(doc.Content[0])
		if err != nil {
			return nil, nil, err
		}
	}
	changed, err = encode(doc.Content[0])
	if err != nil {
		return nil, nil, err
	}
	next = &Tray{}
	var wrong *Error
	err = next.decode(&doc)
	if errors.As(err, &wrong) { // which line it would be on helps nobody
		err = &ChangeError{guilty(text, changes), wrong.What}
	}
	return next, changed, err
}

// guilty returns the text of the first change after which the plan cannot be read.
func guilty(text []byte, changes []Change) string {
	for i := range changes[:len(changes)-1] {
		_, _, err := change(text, changes[:i+1])
		if err != nil {
			return changes[i].Text
		}
	}
	return changes[len(changes)-1].Text
}

func (c *Change) apply(root *yaml.Node) error {
	_, tab := entry(root, "table")
	_, columns := entry(root, "columns")
	if tab == nil || columns == nil {
		return &ChangeError{c.Text, "the plan has no table or no columns"}
	}
	if c.Column == "" {
		c.put(tab)
		return nil
	}
	at, err := c.column(columns)
	if err != nil {
		return err
	}
	switch c.Key {
	case "name":
		renameIn(tab, named(at), c.Value)
	case "type":
		dropRules(at, c.Value)
	}
	c.put(at)
	return nil
}

// dropRules takes out the rules of a column that another type does not have.
func dropRules(column *yaml.Node, typ string) {
	next, err := table.ParseType(typ)
	if err != nil { // as is said later
		return
	}
	moment := slices.Contains([]table.Kind{table.Date, table.Time, table.Timestamp, table.TimestampTZ}, next.Kind)
	numeric := next.Numeric()
	for key, keep := range map[string]bool{
		"format": moment, "thousands": numeric, "decimal": numeric, "currency": numeric, "percent": numeric,
		"true_words": next.Kind == table.Boolean, "false_words": next.Kind == table.Boolean, "characters": next.Textual(),
	} {
		if !keep {
			(&Change{Key: key}).put(column)
		}
	}
}

// lists are the keys whose values are lists.
var lists = []string{"key", "null_words", "true_words", "false_words"}

// put puts the value into a mapping, or takes the key out of it.
func (c *Change) put(n *yaml.Node) {
	_, old := entry(n, c.Key)
	switch {
	case old == nil && c.Value != "":
		put(n, c.Key, c.node())
	case old != nil && c.Value != "":
		comment := old.LineComment
		*old = *c.node()
		old.LineComment = comment
	case old != nil:
		at := slices.Index(n.Content, old)
		n.Content = slices.Delete(n.Content, at-1, at+1)
	}
}

// node returns the value as the tray has it. What is written as a list or a mapping
// is one; elsewhere signs are only signs.
func (c *Change) node() *yaml.Node {
	var doc yaml.Node
	if strings.HasPrefix(c.Value, "[") || strings.HasPrefix(c.Value, "{") && c.Key != "value" || strings.HasPrefix(c.Value, `"`) {
		err := yaml.Unmarshal([]byte(c.Value), &doc)
		if err == nil && len(doc.Content) == 1 {
			return doc.Content[0]
		}
	}
	if slices.Contains(lists, c.Key) {
		items := strings.Split(c.Value, ",")
		for i := range items {
			items[i] = strings.TrimSpace(items[i])
		}
		return flow(items)
	}
	return scalar(c.Value)
}

// column returns the column that the change is of. A value makes one that is not
// there yet.
func (c *Change) column(columns *yaml.Node) (*yaml.Node, error) {
	same := []func(a, b string) bool{func(a, b string) bool { return a == b }, strings.EqualFold}
	for _, equal := range same {
		for _, of := range []func(*yaml.Node) []string{func(n *yaml.Node) []string { return []string{named(n)} }, headingsOf} {
			i := slices.IndexFunc(columns.Content, func(n *yaml.Node) bool {
				return slices.ContainsFunc(of(n), func(name string) bool { return equal(name, c.Column) })
			})
			if i >= 0 {
				return columns.Content[i], nil
			}
		}
	}
	if c.Key == "value" || c.Key == "from" {
		n := newColumn(c)
		columns.Content = append(columns.Content, n)
		return n, nil
	}
	var names []string
	for _, n := range columns.Content {
		names = append(names, named(n))
	}
	return nil, &ChangeError{c.Text, fmt.Sprintf("no column %q%s", c.Column, nearest(c.Column, names))}
}

// newColumn returns a column that the plan has not yet: one that is computed, or one of
// the source as text.
func newColumn(c *Change) *yaml.Node {
	n := node(yaml.MappingNode)
	put(n, c.Key, c.node())
	put(n, "name", scalar(c.Column))
	typ := table.Type{Kind: table.Text}
	if c.Key == "value" {
		typ = computedType(c.Value)
	}
	put(n, "type", scalar(typ.String()))
	return n
}

// computedType is the type of a new computed column: that of an id of a load for a
// mark of the load, text for others.
func computedType(value string) table.Type {
	if value == "{load}" {
		return table.Type{Kind: table.Varchar, Size: template.LoadIDSize}
	}
	return table.Type{Kind: table.Text}
}

// named returns the name of a column in the table, or its heading where it is left
// out.
func named(column *yaml.Node) string {
	_, v := entry(column, "name")
	if v != nil {
		return v.Value
	}
	return from(column)
}

// renameIn makes the key and the indexes of a table follow a new name.
func renameIn(tab *yaml.Node, old, name string) {
	for _, key := range []string{"key", "indexes"} {
		_, list := entry(tab, key)
		scalars(list, func(n *yaml.Node) {
			if n.Value == old {
				n.Value = name
			}
		})
	}
}
