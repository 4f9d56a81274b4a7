package tray

import (
	"fmt"
	"slices"
	"strings"

	"github.com/agnivade/levenshtein"
	"go.yaml.in/yaml/v3"

	"ambertray/internal/table"
	"ambertray/internal/template"
	"ambertray/internal/value"
)

// decoder reads one node into the tray.
type decoder func(n *yaml.Node) error

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
			return unknownKey(key, keys)
		}
		if seen[key.Value] {
			return wrong(key, "key %q occurs twice", key.Value)
		}
		seen[key.Value] = true
		err := d(val)
		if err != nil {
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

func unknownKey(key *yaml.Node, keys map[string]decoder) error {
	if strings.HasSuffix(key.Value, ")") { // the end of a type such as decimal(8,2)
		return wrong(key, "%q is taken for a key because of the comma before it: put the value with the comma in quotes", key.Value)
	}
	return wrong(key, "unknown key %q%s", key.Value, nearest(key.Value, sortedKeys(keys)))
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
		d := levenshtein.ComputeDistance(word, v)
		if d < distance {
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
			return wrong(n, "unknown word %q; write %s", n.Value, strings.Join(allowed, " or "))
		}
		*to = n.Value
		return nil
	}
}

func list(to *[]string) decoder {
	return func(n *yaml.Node) error {
		err := n.Decode(to)
		if err != nil {
			return wrong(n, "write a list here, such as [one, two]")
		}
		return nil
	}
}

func truth(to *bool) decoder {
	return func(n *yaml.Node) error {
		err := n.Decode(to)
		if err != nil {
			return wrong(n, "write true or false, not %q", n.Value)
		}
		return nil
	}
}

// templateText reads a text with references in braces.
func templateText(to *string) decoder {
	return func(n *yaml.Node) error {
		err := text(to)(n)
		if err != nil {
			return err
		}
		_, err = template.Parse(*to)
		if err != nil {
			return wrong(n, "%v", err)
		}
		return nil
	}
}

func currency(to *string) decoder {
	return func(n *yaml.Node) error {
		_, ok := value.ParseCurrency(n.Value)
		if !ok || n.Value == "" {
			return wrong(n, "unknown currency %q; write a code of ISO 4217, such as EUR, or its sign", n.Value)
		}
		return text(to)(n)
	}
}

func reference(to **table.Reference) decoder {
	return func(n *yaml.Node) (err error) {
		*to, err = table.ParseReference(n.Value)
		if err != nil {
			return wrong(n, "%v", err)
		}
		return nil
	}
}

func pairs(to *map[string]string) decoder {
	return func(n *yaml.Node) error {
		err := n.Decode(to)
		if err != nil {
			return wrong(n, "write words and their replacements, such as {BRN: brown}")
		}
		return nil
	}
}

func number(to *int) decoder {
	return func(n *yaml.Node) error {
		err := n.Decode(to)
		if err != nil || *to < 0 || *to > 1000 {
			return wrong(n, "write a number from 0 to 1000, not %q", n.Value)
		}
		return nil
	}
}
