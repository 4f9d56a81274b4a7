package tray

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"ambertray/internal/publish"
	"ambertray/internal/source"
)

// draftedFile holds the plan of the last draft, so that the next draft can
// see what a person has changed since.
const draftedFile = "drafted.yaml"

// Redrafted says what became of a tray that was drafted again.
type Redrafted struct {
	// Kept is what a person has changed and the draft would have otherwise.
	Kept []Kept `json:"kept"`
	// Changed is what the draft has changed because the source has.
	Changed []Kept `json:"changed"`
	// Gone are columns of the plan that the source does not have.
	Gone []string `json:"gone"`
}

// Same reports whether the plan stays as it was drafted before.
func (r *Redrafted) Same() bool { return len(r.Kept)+len(r.Changed)+len(r.Gone) == 0 }

// Kept is one place in the tray and what stands there, or stood, and what was
// drafted. Either is empty where there is nothing.
type Kept struct {
	Where   string `json:"where"`
	Yours   string `json:"yours"`
	Drafted string `json:"drafted"`
}

// Redraft brings the tray that is in t.Dir up to t, a new draft: what a person
// has changed in it stays, unless t was decided otherwise, and the rest becomes what was drafted
// now, comments among it. It returns the plan as it then stands.
func (t *Tray) Redraft() (*Tray, *Redrafted, error) {
	file := filepath.Join(t.Dir, planFile)
	mine, err := readNode(file)
	if err != nil {
		return nil, nil, err
	}
	base, err := readNode(filepath.Join(t.Dir, draftedFile))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, nil, err
	}
	text, err := t.Marshal()
	if err != nil {
		return nil, nil, err
	}
	next, err := rootOf(text)
	if err != nil {
		return nil, nil, err
	}
	drafted, err := t.draftText(text)
	if err != nil {
		return nil, nil, err
	}
	plain, err := rootOf(drafted)
	if err != nil {
		return nil, nil, err
	}
	for _, draft := range []*yaml.Node{base, next, plain} {
		nameKey(draft, mine)
	}
	m := &merger{result: &Redrafted{Kept: []Kept{}, Changed: []Kept{}, Gone: []string{}}}
	m.mapping("", mine, base, next, plain)
	merged := &Tray{Dir: t.Dir}
	err = merged.decode(&yaml.Node{Kind: yaml.DocumentNode, Content: []*yaml.Node{mine}})
	if err != nil {
		return nil, nil, inFile(err, file)
	}
	if m.touched {
		plan, err := encode(mine)
		if err != nil {
			return nil, nil, err
		}
		err = publish.File(file, plan)
		if err != nil {
			return nil, nil, err
		}
	}
	return merged, m.result, publish.File(filepath.Join(t.Dir, draftedFile), drafted)
}

// OwnSettings returns the settings of the layout that a person has set in the tray, with their values.
func (t *Tray) OwnSettings() (own map[string]string, err error) {
	mine, err := readNode(filepath.Join(t.Dir, planFile))
	if err != nil {
		return nil, err
	}
	base, err := readNode(filepath.Join(t.Dir, draftedFile))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	_, settings := entry(mine, "source")
	_, drafted := entry(base, "source")
	own = map[string]string{}
	for _, s := range source.Settings() {
		_, my := entry(settings, s.Key)
		_, old := entry(drafted, s.Key)
		switch {
		case my == nil && old != nil:
			own[s.Key] = settingNode(s.Key, s.Get(&t.Layout)).Value
		case my != nil && !same(my, old):
			own[s.Key] = my.Value
		}
	}
	return own, nil
}

// rootOf returns the mapping that the text of a tray is.
func rootOf(text []byte) (*yaml.Node, error) {
	var doc yaml.Node
	err := yaml.Unmarshal(text, &doc)
	if err != nil {
		return nil, err
	}
	if len(doc.Content) == 0 || doc.Content[0].Kind != yaml.MappingNode {
		return nil, &Error{Line: 1, Column: 1, What: "the tray is empty"}
	}
	return doc.Content[0], nil
}

func readNode(path string) (*yaml.Node, error) {
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	root, err := rootOf(text)
	var empty *Error
	if err != nil && !errors.As(err, &empty) {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return root, inFile(err, path)
}

func encode(root *yaml.Node) ([]byte, error) {
	var out bytes.Buffer
	enc := yaml.NewEncoder(&out)
	enc.SetIndent(2)
	err := enc.Encode(root)
	if err != nil {
		return nil, err
	}
	return out.Bytes(), enc.Close()
}

// merger merges a new draft into a person's plan; base is the draft that the
// person began with, and plain the new one without what was decided for it. Any of both may be nil.
type merger struct {
	result  *Redrafted
	touched bool // the plan was changed
}

// mapping merges the keys of a mapping; path says where it is, for people.
func (m *merger) mapping(path string, mine, base, next, plain *yaml.Node) {
	for i := 0; i+1 < len(next.Content); i += 2 {
		key, value := next.Content[i], next.Content[i+1]
		at := strings.TrimPrefix(path+" "+key.Value, " ")
		myKey, my := entry(mine, key.Value)
		_, old := entry(base, key.Value)
		_, undecided := entry(plain, key.Value)
		decided := !same(value, undecided)
		switch {
		case my == nil && (old == nil || decided):
			mine.Content = append(mine.Content, key, value)
			m.changed(at, nil, value)
		case my == nil:
			m.kept(at, nil, value)
		case key.Value == "columns":
			m.columns(my, old, value, undecided)
		case my.Kind == yaml.MappingNode && value.Kind == yaml.MappingNode:
			m.mapping(at, my, old, value, undecided)
		case !same(my, value) && (decided || same(my, old)):
			m.changed(at, my, value)
			my.Kind, my.Tag, my.Style, my.Value, my.Content = value.Kind, value.Tag, value.Style, value.Value, value.Content
		case !same(my, value):
			m.kept(at, my, value)
		}
		if my != nil {
			oldKey, _ := entry(base, key.Value)
			m.comment(&myKey.HeadComment, head(oldKey), key.HeadComment, base)
			m.comment(&my.LineComment, line(old), value.LineComment, base)
		}
	}
	m.drop(path, mine, base, next)
}

// drop removes what the last draft had, a person left unchanged, and the new
// draft has no more.
func (m *merger) drop(path string, mine, base, next *yaml.Node) {
	for i := 0; i+1 < len(mine.Content); {
		key, my := mine.Content[i], mine.Content[i+1]
		_, old := entry(base, key.Value)
		_, still := entry(next, key.Value)
		if still == nil && old != nil && same(my, old) {
			m.changed(strings.TrimPrefix(path+" "+key.Value, " "), my, nil)
			mine.Content = slices.Delete(mine.Content, i, i+2)
			continue
		}
		i += 2
	}
}

// columns merges the columns that are from one heading.
func (m *merger) columns(mine, base, next, plain *yaml.Node) {
	mines, bases, nexts, plains := byHeading(mine), byHeading(base), byHeading(next), byHeading(plain)
	for _, column := range next.Content {
		heading := from(column)
		my := mines[heading]
		if my == nil {
			if bases[heading] == nil {
				mine.Content = append(mine.Content, column)
				m.changed("column "+heading, nil, &yaml.Node{Kind: yaml.ScalarNode, Value: "new"})
			}
			continue
		}
		_, out := entry(my, "leave_out")
		if out == nil || out.Value != "true" {
			m.mapping("column "+heading, my, bases[heading], forType(column, my, bases[heading], plains[heading]), plains[heading])
		}
	}
	for _, my := range mine.Content {
		all := headingsOf(my)
		if all != nil && !slices.ContainsFunc(all, func(h string) bool { return nexts[h] != nil }) {
			m.result.Gone = append(m.result.Gone, all[0])
		}
	}
}

// nameKey writes the key of a draft with the names that a person has given its columns, and takes it
// out if one of them is left out.
func nameKey(draft, mine *yaml.Node) {
	_, tab := entry(draft, "table")
	_, key := entry(tab, "key")
	_, columns := entry(draft, "columns")
	_, own := entry(mine, "columns")
	if key == nil || columns == nil {
		return
	}
	mines, names := byHeading(own), map[string]string{}
	for _, c := range columns.Content {
		my := mines[from(c)]
		if my == nil {
			continue
		}
		names[named(c)] = named(my)
		_, out := entry(my, "leave_out")
		if out != nil && out.Value == "true" {
			names[named(c)] = ""
		}
	}
	for _, item := range key.Content {
		name, ok := names[item.Value]
		if ok && name == "" {
			(&Change{Key: "key"}).put(tab)
			return
		}
		item.Value = cmp.Or(name, item.Value)
	}
}

// forType returns a drafted column without the rules that a type which a person has set, and that
// stays, does not have.
func forType(column, mine, base, plain *yaml.Node) *yaml.Node {
	_, typ := entry(mine, "type")
	_, old := entry(base, "type")
	_, next := entry(column, "type")
	_, undecided := entry(plain, "type")
	if typ == nil || same(typ, old) || !same(next, undecided) {
		return column
	}
	fitting := *column
	fitting.Content = slices.Clone(column.Content)
	dropRules(&fitting, typ.Value)
	return &fitting
}

// comment replaces a comment that no one has changed since the last draft.
func (m *merger) comment(mine *string, old, next string, base *yaml.Node) {
	if base != nil && *mine == old && old != next {
		*mine, m.touched = next, true
	}
}

func (m *merger) kept(at string, mine, next *yaml.Node) {
	m.result.Kept = append(m.result.Kept, Kept{at, shown(mine), shown(next)})
}

func (m *merger) changed(at string, mine, next *yaml.Node) {
	m.touched = true
	m.result.Changed = append(m.result.Changed, Kept{at, shown(mine), shown(next)})
}

// entry returns the key node and the value of a key, or nil.
func entry(n *yaml.Node, key string) (k, v *yaml.Node) {
	if n == nil {
		return nil, nil
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return n.Content[i], n.Content[i+1]
		}
	}
	return nil, nil
}

// from returns the first heading of a column.
func from(column *yaml.Node) string {
	all := headingsOf(column)
	if all != nil {
		return all[0]
	}
	return ""
}

// headingsOf returns all headings of a column.
func headingsOf(column *yaml.Node) (all []string) {
	_, v := entry(column, "from")
	if v == nil {
		return nil
	}
	if v.Kind == yaml.ScalarNode {
		return []string{v.Value}
	}
	for _, item := range v.Content {
		all = append(all, item.Value)
	}
	return all
}

// byHeading returns the columns by their headings, the first of those from one heading.
func byHeading(columns *yaml.Node) map[string]*yaml.Node {
	all := map[string]*yaml.Node{}
	if columns == nil {
		return all
	}
	for _, c := range slices.Backward(columns.Content) {
		for _, h := range headingsOf(c) {
			all[h] = c
		}
	}
	return all
}

// same compares what two nodes mean, not how they are written.
func same(a, b *yaml.Node) bool {
	return a != nil && b != nil && a.Kind == b.Kind && a.Value == b.Value && slices.EqualFunc(a.Content, b.Content, same)
}

func head(n *yaml.Node) string {
	if n == nil {
		return ""
	}
	return n.HeadComment
}

func line(n *yaml.Node) string {
	if n == nil {
		return ""
	}
	return n.LineComment
}

// shown writes a value for people.
func shown(n *yaml.Node) string {
	switch {
	case n == nil:
		return ""
	case n.Kind == yaml.ScalarNode:
		return n.Value
	case n.Kind == yaml.SequenceNode:
		var items []string
		for _, c := range n.Content {
			items = append(items, shown(c))
		}
		return "[" + strings.Join(items, ", ") + "]"
	}
	return "…"
}
