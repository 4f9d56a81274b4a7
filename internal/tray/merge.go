package tray

import (
	"bytes"
	"cmp"
	"errors"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"ambertray/internal/template"
)

// merger merges a new draft into a person's plan; base is the draft that the
// person began with, and plain the new one without what was decided for it. Any of both may be nil.
type merger struct {
	mine    *yaml.Node
	changes []Change // to be made in the merged plan
	result  *Redrafted

	touched      bool // the plan was changed
	plainChanged bool // plain has values of earlier drafts
}

// read reads the merged plan after the changes, and returns its text too.
func (m *merger) read(dir string) (next *Tray, text []byte, err error) {
	text, err = encode(m.mine)
	if err != nil {
		return nil, nil, err
	}
	next = &Tray{}
	err = next.decode(&yaml.Node{Kind: yaml.DocumentNode, Content: []*yaml.Node{m.mine}})
	var wrong *Error
	if errors.As(err, &wrong) { // its line is in a text that is not written
		err = &ConflictError{dir, wrong.What}
	}
	if m.changes != nil {
		changed, changedText, failed := change(text, m.changes)
		switch {
		case failed == nil:
			m.touched = m.touched || !bytes.Equal(changedText, text)
			next, text, err = changed, changedText, nil
		case err == nil:
			err = failed
		}
	}
	next.Dir = dir
	return next, text, err
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
		if my != nil {
			oldKey, _ := entry(base, key.Value)
			m.comment(&myKey.HeadComment, head(oldKey), key.HeadComment, base)
			m.comment(&my.LineComment, line(old), value.LineComment, base)
		}
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
		case base != nil && !same(my, old) && my.Kind != yaml.MappingNode:
			m.keepEarlierDraft(plain, key.Value, old)
		}
	}
	m.drop(path, mine, base, next)
}

// keepEarlierDraft replaces a value in plain by the earlier draft's if a person's change equals the new
// draft. Otherwise the next draft would no longer recognise the change.
func (m *merger) keepEarlierDraft(plain *yaml.Node, key string, old *yaml.Node) {
	if plain == nil {
		return
	}
	m.plainChanged = true
	_, now := entry(plain, key)
	switch {
	case old == nil:
		(&Change{Key: key}).put(plain)
	case now == nil:
		put(plain, key, old)
	default:
		old.LineComment = now.LineComment
		plain.Content[slices.Index(plain.Content, now)] = old
	}
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
		if !isTrue(my, "leave_out") {
			m.mapping("column "+heading, my, bases[heading], withoutConflicts(column, my, bases[heading], plains[heading]), plains[heading])
		}
	}
	m.dropColumns(mine, plain, bases, nexts)
}

// dropColumns removes the columns that the source no longer has, unless a person has changed them or
// the rest of the plan needs them. plain keeps the earlier draft of those that stay.
func (m *merger) dropColumns(mine, plain *yaml.Node, bases, nexts map[string]*yaml.Node) {
	used := m.used()
	mine.Content = slices.DeleteFunc(mine.Content, func(my *yaml.Node) bool {
		all := headingsOf(my)
		if all == nil || slices.ContainsFunc(all, func(h string) bool { return nexts[h] != nil }) {
			return false
		}
		heading, old := all[0], bases[all[0]]
		if sameWithComments(my, old) && !used[strings.ToLower(named(my))] && !used[strings.ToLower(heading)] {
			m.result.Removed, m.touched = append(m.result.Removed, heading), true
			return true
		}
		if !isTrue(my, "optional") && !isTrue(my, "leave_out") {
			m.result.Gone = append(m.result.Gone, heading)
		}
		if old != nil && plain != nil {
			m.plainChanged, plain.Content = true, append(plain.Content, old)
		}
		return false
	})
}

// used returns the names and headings, in lower case, of the columns to which the key, the indexes,
// computed columns or the changes refer.
func (m *merger) used() map[string]bool {
	used := map[string]bool{}
	add := func(n *yaml.Node) { used[strings.ToLower(n.Value)] = true }
	_, tab := entry(m.mine, "table")
	for _, key := range []string{"key", "indexes"} {
		_, list := entry(tab, key)
		scalars(list, add)
	}
	_, columns := entry(m.mine, "columns")
	for _, c := range columns.Content {
		_, v := entry(c, "value")
		if v == nil {
			continue
		}
		value, err := template.Parse(v.Value)
		if err != nil { // reported when the plan is decoded
			continue
		}
		for _, ref := range value.Refs() {
			used[strings.ToLower(ref)] = true
		}
	}
	for _, c := range m.changes {
		used[strings.ToLower(c.Column)] = true
	}
	return used
}

// scalars calls do with each scalar in a node.
func scalars(n *yaml.Node, do func(*yaml.Node)) {
	if n == nil {
		return
	}
	if n.Kind == yaml.ScalarNode {
		do(n)
	}
	for _, item := range n.Content {
		scalars(item, do)
	}
}

// nameKey writes the key of a draft with the names that a person has given its columns, and removes it
// if one of them is left out. The function that it returns restores the key.
func nameKey(draft, mine *yaml.Node) (restore func()) {
	_, tab := entry(draft, "table")
	_, key := entry(tab, "key")
	_, columns := entry(draft, "columns")
	_, own := entry(mine, "columns")
	if key == nil || columns == nil {
		return func() {}
	}
	keys, items := slices.Clone(tab.Content), slices.Clone(key.Content)
	mines, names := byHeading(own), map[string]string{}
	for _, c := range columns.Content {
		my := mines[from(c)]
		if my == nil {
			continue
		}
		names[named(c)] = named(my)
		if isTrue(my, "leave_out") {
			names[named(c)] = ""
		}
	}
	for i, item := range key.Content {
		name, ok := names[item.Value]
		if ok && name == "" {
			(&Change{Key: "key"}).put(tab)
			return func() { tab.Content = keys }
		}
		key.Content[i] = scalar(cmp.Or(name, item.Value))
	}
	return func() { key.Content = items }
}

// withoutConflicts returns a drafted column without the keys that conflict with a person's changes:
// rules that the person's type does not have, and nullable: false of an optional column.
func withoutConflicts(column, mine, base, plain *yaml.Node) *yaml.Node {
	fit := *column
	fit.Content = slices.Clone(column.Content)
	_, typ := entry(mine, "type")
	_, old := entry(base, "type")
	_, next := entry(column, "type")
	_, undecided := entry(plain, "type")
	if typ != nil && !same(typ, old) && same(next, undecided) {
		dropRules(&fit, typ.Value)
	}
	_, byDefault := entry(mine, "default")
	if isTrue(mine, "optional") && byDefault == nil {
		(&Change{Key: "nullable"}).put(&fit)
	}
	return &fit
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

// isTrue reports whether a key of a column is true.
func isTrue(column *yaml.Node, key string) bool {
	_, v := entry(column, key)
	return v != nil && v.Value == "true"
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

// sameWithComments compares what two nodes mean, and their comments.
func sameWithComments(a, b *yaml.Node) bool {
	return a != nil && b != nil && a.Kind == b.Kind && a.Value == b.Value && a.HeadComment == b.HeadComment &&
		a.LineComment == b.LineComment && a.FootComment == b.FootComment && slices.EqualFunc(a.Content, b.Content, sameWithComments)
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
