package house

import (
	"go/ast"
	"go/parser"
	"go/token"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestFiles finds files of a package that use each other in a circle, so that each
// of these packages can be read from the top down.
func TestFiles(t *testing.T) {
	for _, name := range []string{"load"} {
		uses := fileUses(t, filepath.Join("..", name))
		for len(uses) > 0 {
			lowest := "" // a file that uses none of those that are left
			for _, file := range slices.Sorted(maps.Keys(uses)) {
				if !slices.ContainsFunc(uses[file], func(other string) bool { return other != file && uses[other] != nil }) {
					lowest = file
				}
			}
			require.NotEmpty(t, lowest, "files of %s use each other in a circle: %v", name, uses)
			delete(uses, lowest)
		}
	}
}

// fileUses returns which other files each file of a package uses: by the names
// that these declare, and by methods whose names are declared only once.
func fileUses(t *testing.T, dir string) map[string][]string {
	paths, err := filepath.Glob(filepath.Join(dir, "*.go"))
	require.NoError(t, err)
	parsed, declares, methods := map[string]*ast.File{}, map[string]string{}, map[string][]string{}
	for _, path := range paths {
		if strings.HasSuffix(path, "_test.go") {
			continue
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		require.NoError(t, err)
		name := filepath.Base(path)
		parsed[name] = f
		for declared := range f.Scope.Objects {
			declares[declared] = name
		}
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if ok && fn.Recv != nil {
				methods[fn.Name.Name] = append(methods[fn.Name.Name], name)
			}
		}
	}
	uses := map[string][]string{}
	for name, f := range parsed {
		list := []string{}
		for _, ident := range f.Unresolved {
			file := declares[ident.Name]
			if file != "" {
				list = append(list, file)
			}
		}
		ast.Inspect(f, func(n ast.Node) bool {
			s, ok := n.(*ast.SelectorExpr)
			if ok && len(methods[s.Sel.Name]) == 1 && !ast.IsExported(s.Sel.Name) {
				list = append(list, methods[s.Sel.Name][0])
			}
			return true
		})
		slices.Sort(list)
		uses[name] = slices.DeleteFunc(slices.Compact(list), func(other string) bool { return other == name })
	}
	return uses
}
