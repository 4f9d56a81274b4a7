package tray

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"go.yaml.in/yaml/v3"

	"ambertray/internal/publish"
	"ambertray/internal/source"
)

// draftedFile holds the plan of the last draft, so that the next draft can
// see what a person has changed since. If a change equals that draft, the file has the value of the
// draft before it.
const draftedFile = "drafted.yaml"

// Redrafted says what became of a tray that was drafted again.
type Redrafted struct {
	// Kept is what a person has changed and the draft would have otherwise.
	Kept []Kept `json:"kept"`
	// Changed is what the draft has changed because the source has.
	Changed []Kept `json:"changed"`
	// Removed are columns that the source no longer has and that nobody had changed.
	Removed []string `json:"removed"`
	// Gone are columns of the plan that the source does not have, and that a person set.
	Gone []string `json:"gone"`
}

// Same reports whether the plan stays as it was drafted before.
func (r *Redrafted) Same() bool {
	return len(r.Kept)+len(r.Changed)+len(r.Removed)+len(r.Gone) == 0
}

// Kept is one place in the tray and what stands there, or stood, and what was
// drafted. Either is empty where there is nothing.
type Kept struct {
	Where   string `json:"where"`
	Yours   string `json:"yours"`
	Drafted string `json:"drafted"`
}

// ConflictError says why what a person has set in a tray cannot stand in a plan that is drafted again.
type ConflictError struct {
	Dir  string
	What string
}

func (e *ConflictError) Error() string {
	return fmt.Sprintf("%s cannot be drafted again with what you have changed in it: %s", e.Dir, e.What)
}

// Redraft brings the tray that is in t.Dir up to t, a new draft: what a person
// has changed in it stays, unless t was decided otherwise, and the rest becomes what was drafted
// now, comments among it. Then it makes the changes, if there are any. It returns the plan as it
// then stands; in case of an error nothing is written.
func (t *Tray) Redraft(changes []Change) (*Tray, *Redrafted, error) {
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
	dropExcluded(mine, t.Layout.Overrides)
	nameKey(next, mine)
	restores := []func(){nameKey(base, mine), nameKey(plain, mine)}
	m := &merger{mine: mine, changes: changes, result: &Redrafted{Kept: []Kept{}, Changed: []Kept{}, Removed: []string{}, Gone: []string{}}}
	m.mapping("", mine, base, next, plain)
	merged, plan, err := m.read(t.Dir)
	if err != nil {
		return nil, nil, err
	}
	if m.touched {
		err = publish.File(file, plan)
		if err != nil {
			return nil, nil, err
		}
	}
	for _, restore := range restores {
		restore()
	}
	if m.plainChanged {
		drafted, err = encode(plain)
		if err != nil {
			return nil, nil, err
		}
	}
	return merged, m.result, publish.File(filepath.Join(t.Dir, draftedFile), drafted)
}

// dropExcluded removes the settings of the plan that exclude those that are set now.
func dropExcluded(plan *yaml.Node, set []string) {
	_, settings := entry(plan, "source")
	for _, s := range source.Settings() {
		if !slices.Contains(set, s.Key) && source.ExcludesAny(s.Key, set) {
			(&Change{Key: s.Key}).put(settings)
		}
	}
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
