package tray

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"go.yaml.in/yaml/v3"

	"ambertray/internal/publish"
)

// ErrChangedBeside is returned where another program has changed a plan since it was
// opened.
var ErrChangedBeside = errors.New("another program has changed the plan")

// Edit is a plan that is changed step by step before it is written. Comments stay.
type Edit struct {
	dir   string
	disk  []byte // content of the file when it was read; nil for a draft
	base  *Tray  // the draft, nil of a plan that was read
	steps []step
	done  []Step
}

// step is the plan after a number of steps.
type step struct {
	text []byte
	tray *Tray
}

// Step is a change, or the move of a column by a number of places.
type Step struct {
	Changes []Change
	Column  string
	By      int
}

// OpenEdit opens the plan of a tray.
func OpenEdit(dir string) (*Edit, error) {
	t, err := Read(dir)
	if err != nil {
		return nil, err
	}
	text, err := os.ReadFile(filepath.Join(t.Dir, planFile))
	return &Edit{dir: t.Dir, disk: text, steps: []step{{text, t}}}, err
}

// EditDraft opens a draft that is not written yet.
func EditDraft(t *Tray) (*Edit, error) {
	text, err := t.Marshal()
	return &Edit{dir: t.Dir, base: t, steps: []step{{text, t}}}, err
}

// Tray returns the plan as it is now. It must not be changed.
func (e *Edit) Tray() *Tray { return e.steps[len(e.steps)-1].tray }

// Text returns its text.
func (e *Edit) Text() string { return string(e.steps[len(e.steps)-1].text) }

// IsDraft reports whether it was never written.
func (e *Edit) IsDraft() bool { return e.base != nil }

// Changed reports whether there is something to write.
func (e *Edit) Changed() bool { return len(e.steps) > 1 }

// Do makes a step. Where that is not possible nothing changes.
func (e *Edit) Do(s Step) error {
	now := e.steps[len(e.steps)-1]
	var doc yaml.Node
	err := yaml.Unmarshal(now.text, &doc)
	if err != nil {
		return err
	}
	if s.By != 0 {
		err := move(doc.Content[0], s.Column, s.By)
		if err != nil {
			return err
		}
	}
	text, err := encode(doc.Content[0])
	if err != nil {
		return err
	}
	next, text, err := change(text, s.Changes)
	if err != nil {
		return err
	}
	next.Dir = e.dir
	e.steps, e.done = append(e.steps, step{text, next}), append(e.done, s)
	return nil
}

// move moves a column by a number of places.
func move(root *yaml.Node, column string, by int) error {
	_, columns := entry(root, "columns")
	n, err := (&Change{Column: column}).column(columns)
	if err != nil {
		return err
	}
	at := slices.Index(columns.Content, n)
	to := at + by
	if to < 0 || to >= len(columns.Content) {
		return fmt.Errorf("column %s cannot be moved any further", column)
	}
	columns.Content = slices.Insert(slices.Delete(columns.Content, at, at+1), to, n)
	return nil
}

// Undo takes the last step back, if there is one.
func (e *Edit) Undo() bool {
	if len(e.steps) == 1 {
		return false
	}
	e.steps, e.done = e.steps[:len(e.steps)-1], e.done[:len(e.done)-1]
	return true
}

// Rebase puts the steps on another draft of the same source, and returns how many of them
// were not possible any more.
func (e *Edit) Rebase(t *Tray) (lost int, err error) {
	next, err := EditDraft(t)
	if err != nil {
		return 0, err
	}
	for _, s := range e.done {
		if next.Do(s) != nil {
			lost++
		}
	}
	*e = *next
	return lost, nil
}

// Save writes the plan, unless another program has changed it meanwhile.
func (e *Edit) Save() error {
	file := filepath.Join(e.dir, planFile)
	now, err := os.ReadFile(file)
	switch {
	case e.base != nil && err == nil:
		return fmt.Errorf("%s: %w", file, ErrChangedBeside)
	case e.base != nil:
		err = e.writeDraft()
		if err != nil {
			return err
		}
	case err != nil:
		return err
	case !bytes.Equal(now, e.disk):
		return fmt.Errorf("%s: %w", file, ErrChangedBeside)
	default:
		err = publish.File(file, []byte(e.Text()))
		if err != nil {
			return err
		}
	}
	*e = Edit{dir: e.dir, disk: []byte(e.Text()), steps: e.steps[len(e.steps)-1:]}
	return nil
}

// writeDraft writes a new tray, which knows its draft without the steps.
func (e *Edit) writeDraft() error {
	t := *e.Tray()
	drafted, err := e.base.draftText(e.steps[0].text)
	if err != nil {
		return err
	}
	t.drafted, t.text = drafted, []byte(e.Text())
	return t.Write()
}
