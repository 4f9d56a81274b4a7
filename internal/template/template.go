// Package template computes the text of columns that are not in a source, and takes
// names of files apart.
package template

import (
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"ambertray/internal/record"
)

// Origin says where the records come from: what computed columns refer to.
type Origin struct {
	Load  string   // id of the load
	Loads []string // ids by the index of the part, if different loads have loaded these
	Files []File   // the parts of the source
	// Kept says that the records are from a file of rejects, and say
	// themselves which of the files they came from.
	Kept bool
}

// File is one part of a source: a file, or a sheet of one.
type File struct {
	Name, Sheet string
	Named       map[string]string // the named parts of its name
}

// Template is the text of a computed column: words with references in braces,
// such as "{file}, line {line}". Two braces stand for one.
type Template struct{ parts []part }

// part is plain text, or else a reference.
type part struct{ text, ref string }

var reference = regexp.MustCompile(`\{\{|\}\}|\{([^{}]*)\}|[{}]`)

// Parse reads a template.
func Parse(text string) (*Template, error) {
	t := &Template{}
	at := 0
	for _, m := range reference.FindAllStringSubmatchIndex(text, -1) {
		t.parts = append(t.parts, part{text: text[at:m[0]]})
		found := text[m[0]:m[1]]
		switch {
		case found == "{{" || found == "}}":
			t.parts = append(t.parts, part{text: found[:1]})
		case len(found) == 1 || m[2] == m[3]:
			return nil, fmt.Errorf("%q: write a name between { and }, or {{ for a brace", text)
		default:
			t.parts = append(t.parts, part{ref: text[m[2]:m[3]]})
		}
		at = m[1]
	}
	t.parts = append(t.parts, part{text: text[at:]})
	return t, nil
}

// LoadIDSize is the length of what {load} stands for.
const LoadIDSize = 24

// References are those that every source knows.
var References = []string{"file", "sheet", "line", "record", "load"}

// Refs returns the names that the template refers to.
func (t *Template) Refs() (names []string) {
	for _, p := range t.parts {
		if p.ref != "" {
			names = append(names, p.ref)
		}
	}
	return names
}

// Compose writes the text of a computed column of one record.
type Compose func(dst []byte, b *record.Batch, r int) []byte

// Bind makes the template ready for a source with the given headings.
func (t *Template) Bind(headings []string, from Origin) (Compose, error) {
	var steps []Compose
	for _, p := range t.parts {
		step, err := p.bind(headings, from)
		if err != nil {
			return nil, err
		}
		steps = append(steps, step)
	}
	return func(dst []byte, b *record.Batch, r int) []byte {
		for _, step := range steps {
			dst = step(dst, b, r)
		}
		return dst
	}, nil
}

func (p part) bind(headings []string, from Origin) (Compose, error) {
	file := func(text func(File) string) Compose {
		return func(dst []byte, b *record.Batch, _ int) []byte { return append(dst, text(from.Files[b.Part])...) }
	}
	named := func(f File) string { return f.Named[p.ref] }
	column := slices.Index(headings, p.ref)
	if from.Kept {
		do, ok := p.bindKept(from)
		if ok {
			return do, nil
		}
	}
	switch {
	case p.ref == "":
		return func(dst []byte, _ *record.Batch, _ int) []byte { return append(dst, p.text...) }, nil
	case p.ref == "file":
		return file(func(f File) string { return filepath.Base(f.Name) }), nil
	case p.ref == "sheet":
		return file(func(f File) string { return f.Sheet }), nil
	case p.ref == "line":
		return func(dst []byte, b *record.Batch, r int) []byte { return strconv.AppendInt(dst, b.Line(r), 10) }, nil
	case p.ref == "record":
		return func(dst []byte, b *record.Batch, r int) []byte { return strconv.AppendInt(dst, b.Number(r), 10) }, nil
	case p.ref == "load" && from.Loads != nil:
		return func(dst []byte, b *record.Batch, _ int) []byte { return append(dst, from.Loads[b.Part]...) }, nil
	case p.ref == "load":
		return func(dst []byte, _ *record.Batch, _ int) []byte { return append(dst, from.Load...) }, nil
	case len(from.Files) > 0 && from.Files[0].Named[p.ref] != "":
		return file(named), nil
	case column >= 0:
		return func(dst []byte, b *record.Batch, r int) []byte { return append(dst, b.Cell(r, column)...) }, nil
	}
	return nil, &MissingError{Column: p.ref, Headings: headings}
}

// MissingError says that the source has no column with the heading.
type MissingError struct {
	Column   string
	Headings []string
}

func (e *MissingError) Error() string {
	return fmt.Sprintf("the source has no column %q; columns: %s", e.Column, strings.Join(e.Headings, ", "))
}

// NameParts takes the name of a file apart by a pattern such as
// "loans-{year}-{month}.csv".
func NameParts(pattern, path string) (map[string]string, error) {
	t, err := Parse(pattern)
	if err != nil {
		return nil, err
	}
	form := "^"
	for _, p := range t.parts {
		form += regexp.QuoteMeta(p.text)
		if p.ref != "" {
			form += "(.+?)"
		}
	}
	name := filepath.Base(path)
	m := regexp.MustCompile(form + "$").FindStringSubmatch(name)
	if m == nil {
		return nil, fmt.Errorf("the name of %s is not of the form %s, which name_parts gives", name, strings.TrimSpace(pattern))
	}
	parts := map[string]string{}
	for i, ref := range t.Refs() {
		parts[ref] = m[i+1]
	}
	return parts, nil
}
