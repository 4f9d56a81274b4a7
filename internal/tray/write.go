package tray

import (
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"ambertray/internal/publish"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// Write makes the tray's folder and writes its file, in one step: either the
// whole file is there afterwards or none. A tray that exists already is for
// Redraft.
func (t *Tray) Write() error {
	err := os.MkdirAll(t.Dir, 0o777)
	if err != nil {
		return notTray(t.Dir, err)
	}
	text := t.text
	if text == nil {
		text, err = t.Marshal()
		if err != nil {
			return err
		}
	}
	drafted, err := t.draftText(text)
	if err != nil {
		return err
	}
	err = publish.File(filepath.Join(t.Dir, draftedFile), drafted)
	if err != nil {
		os.Remove(t.Dir) // unless it has other files
		return err
	}
	return publish.File(filepath.Join(t.Dir, planFile), text)
}

// Drafted keeps the plan as the draft that it is now: what is decided for it from here on is a
// person's decision, and so are the settings of the layout that were set and not detected, and the
// keys of the table that are named.
func (t *Tray) Drafted(decided ...string) {
	plain := *t
	plain.Table.Columns, plain.Table.Key = slices.Clone(t.Table.Columns), slices.Clone(t.Table.Key)
	plain.Notes = maps.Clone(t.Notes)
	t.plain, t.decided = &plain, decided
}

// draftText returns the text of the draft without what was decided. It is text for a plan whose
// decisions are not known.
func (t *Tray) draftText(text []byte) ([]byte, error) {
	if t.drafted != nil {
		return t.drafted, nil
	}
	if t.plain == nil {
		return text, nil
	}
	root := t.plain.root()
	for of, keys := range map[string][]string{"source": t.Layout.Overrides, "table": t.decided} {
		_, settings := entry(root, of)
		for _, key := range keys {
			(&Change{Key: key}).put(settings)
		}
	}
	return encode(root)
}

// Marshal returns the text of the tray file, with its notes as comments.
func (t *Tray) Marshal() ([]byte, error) { return encode(t.root()) }

func (t *Tray) root() *yaml.Node {
	root := node(yaml.MappingNode)
	root.HeadComment = "The plan of a load. Edit it, check it and load from it as often as there are files."
	put(root, "tray", scalar(strconv.Itoa(Version)))
	put(root, "source", t.sourceNode())
	root.Content[len(root.Content)-2].HeadComment = strings.Join(t.Notes["source"], "\n")
	put(root, "table", t.tableNode())
	columns := node(yaml.SequenceNode)
	for _, c := range t.Table.Columns {
		columns.Content = append(columns.Content, t.columnNode(c))
	}
	put(root, "columns", columns)
	return root
}

// sourceNode writes the settings that differ from the usual, and the three that
// everybody looks for.
func (t *Tray) sourceNode() *yaml.Node {
	n := node(yaml.MappingNode)
	put(n, "files", flow(t.Files))
	usual := source.DefaultLayout()
	if usual.Format != t.Layout.Format {
		put(n, "format", scalar(t.Layout.Format))
		usual.Format = t.Layout.Format
		usual.Fix()
	}
	for _, s := range source.Settings() {
		if !t.Layout.Has(s.Key) {
			continue
		}
		val := s.Get(&t.Layout)
		switch s.Key {
		case "header":
		case "encoding":
			if !t.Layout.IsText() {
				continue
			}
		case "delimiter":
		case "line_end":
			if val != "crlf" && (strings.HasSuffix(val, "lf") || val == source.Rows) { // read alike, but export writes crlf again
				continue
			}
		case "first_data_line":
			if t.Layout.HeaderLine > 0 || t.Layout.FirstDataLine <= 1 && !t.Layout.FindFirstDataLine {
				continue
			}
		default:
			if val == s.Get(&usual) && !slices.Contains(t.Layout.Overrides, s.Key) {
				continue
			}
		}
		put(n, s.Key, settingNode(s.Key, val))
	}
	return n
}

// settingNode quotes what is a sign rather than a word.
func settingNode(key, val string) *yaml.Node {
	if key == "delimiter" && val == "" {
		val = "none"
	}
	if len(val) <= 3 && strings.Trim(val, "0123456789") != "" {
		return quotedScalar(val)
	}
	return scalar(val)
}

func (t *Tray) tableNode() *yaml.Node {
	n := node(yaml.MappingNode)
	put(n, "name", scalar(t.Table.Name))
	existing := scalar(t.Table.Existing.String())
	existing.LineComment = "what to do with an existing table; else append, empty, rebuild or merge"
	put(n, "existing", existing)
	if t.Table.ByPosition {
		put(n, "by_position", scalar("true"))
	}
	if t.Table.CreateSchema {
		put(n, "create_schema", scalar("true"))
	}
	if t.Table.OnlyNew {
		put(n, "only_new", scalar("true"))
	}
	key := flow(t.Table.Key)
	key.LineComment = strings.Join(t.Notes["key"], "\n")
	put(n, "key", key)
	return n
}

func (t *Tray) columnNode(c table.Column) *yaml.Node {
	n := node(yaml.MappingNode)
	if c.Value != "" {
		put(n, "value", quotedScalar(c.Value))
	} else {
		put(n, "from", fromNode(&c))
	}
	if c.LeaveOut {
		word := "true"
		if c.Blank {
			word = whileBlank
		}
		put(n, "leave_out", scalar(word))
		return n
	}
	put(n, "name", scalar(c.Name))
	typ, above := scalar(c.Type.String()), ""
	notes := t.Notes[c.Name]
	if len(notes) > 0 {
		typ.LineComment = notes[0]
		above = strings.Join(notes[1:], "\n")
	}
	put(n, "type", typ)
	n.Content[len(n.Content)-2].HeadComment = above
	if c.Type.Textual() && c.Type.Characters != table.ASCII && c.Value == "" {
		put(n, "characters", scalar(c.Type.Characters.String()))
	}
	for _, rule := range []struct{ key, val string }{
		{"format", c.Format}, {"thousands", c.Thousands}, {"decimal", c.Decimal}, {"currency", c.Currency},
	} {
		if rule.val != "" {
			put(n, rule.key, quotedScalar(rule.val))
		}
	}
	for _, rule := range []struct {
		key string
		on  bool
	}{{"percent", c.Percent}, {"trim", c.Trim}, {"optional", c.Optional}} {
		if rule.on {
			put(n, rule.key, scalar("true"))
		}
	}
	for _, rule := range []struct {
		key   string
		words []string
	}{{"true_words", c.TrueWords}, {"false_words", c.FalseWords}, {"null_words", c.NullWords}} {
		if len(rule.words) > 0 {
			put(n, rule.key, flow(rule.words))
		}
	}
	if !c.Nullable {
		put(n, "nullable", scalar(fmt.Sprint(c.Nullable)))
	}
	return n
}

func fromNode(c *table.Column) *yaml.Node {
	if c.Also == nil {
		return scalar(c.From)
	}
	return flow(append([]string{c.From}, c.Also...))
}

func node(kind yaml.Kind) *yaml.Node { return &yaml.Node{Kind: kind} }

// scalar lets YAML decide on quotes: text that it would read as something else
// gets them, but for the numbers and truths that are meant so.
func scalar(text string) *yaml.Node {
	n := &yaml.Node{}
	_, err := strconv.Atoi(text)
	if err == nil || text == "true" || text == "false" {
		n.Kind, n.Value = yaml.ScalarNode, text
		return n
	}
	n.SetString(text)
	return n
}

func quotedScalar(text string) *yaml.Node {
	return &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Style: yaml.DoubleQuotedStyle, Value: text}
}

func flow(items []string) *yaml.Node {
	n := &yaml.Node{Kind: yaml.SequenceNode, Style: yaml.FlowStyle}
	for _, item := range items {
		s := &yaml.Node{}
		s.SetString(item)
		n.Content = append(n.Content, s)
	}
	return n
}

func put(n *yaml.Node, key string, val *yaml.Node) {
	n.Content = append(n.Content, &yaml.Node{Kind: yaml.ScalarNode, Value: key}, val)
}
