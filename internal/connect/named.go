package connect

import (
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"slices"

	"go.yaml.in/yaml/v3"
)

// NamedTarget is a target in the user's config file.
type NamedTarget struct {
	Name string `json:"name"`
	URL  string `json:"url"`
}

// ConfigFile returns the path of the file that gives names to targets.
func ConfigFile() (string, error) {
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "ambertray", "targets.yaml"), err
}

// ErrSecret is returned for a config file that holds a password.
var ErrSecret = errors.New("the URL contains a password")

// Named returns the targets in the user's config file, in its order. It may hold
// no password.
func Named() (list []NamedTarget, err error) {
	path, err := ConfigFile()
	if err != nil { // the system has no such folder
		return nil, nil
	}
	text, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var doc yaml.Node
	err = yaml.Unmarshal(text, &doc)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	if len(doc.Content) == 0 {
		return nil, nil
	}
	root := doc.Content[0]
	if root.Kind != yaml.MappingNode {
		return nil, fmt.Errorf("%s:%d: write NAME: URL, one target on each line", path, root.Line)
	}
	for i := 0; i < len(root.Content); i += 2 {
		name, to := root.Content[i], root.Content[i+1]
		if to.Kind != yaml.ScalarNode || kindOf(to.Value) == nil {
			return nil, fmt.Errorf("%s:%d: target %s: add its URL after the name", path, to.Line, name.Value)
		}
		if hasPassword(to.Value) {
			return nil, fmt.Errorf("%s:%d: target %s: %w", path, to.Line, name.Value, ErrSecret)
		}
		if slices.ContainsFunc(list, func(t NamedTarget) bool { return t.Name == name.Value }) {
			return nil, fmt.Errorf("%s:%d: target %s: the name is used twice", path, name.Line, name.Value)
		}
		list = append(list, NamedTarget{name.Value, to.Value})
	}
	return list, nil
}

func hasPassword(address string) bool {
	u, err := url.Parse(address)
	if err != nil {
		return false
	}
	_, has := u.User.Password()
	return has || u.Query().Has("password")
}
