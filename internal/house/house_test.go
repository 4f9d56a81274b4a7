// Package house holds the code to the rules of the house: which package may
// import which, and how long files and functions may be.
package house

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// layers lists the packages from the top down. A package imports only those of
// lines below its own.
var layers = [][]string{
	{"cmd/ambertray", "cmd/sqlserver-standin"},
	{"internal/cli"},
	{"internal/report", "internal/screen"},
	{"demo", "internal/connect", "internal/databasetest", "internal/standin"},
	{"internal/handover", "internal/tighten", "internal/review"},
	{"internal/load", "internal/export", "internal/probe", "internal/term"},
	{"internal/database/mysql", "internal/database/postgres", "internal/database/sqlite", "internal/database/sqlserver", "internal/survey"},
	{"internal/pass"},
	{"internal/intake"},
	{"internal/database", "internal/tray", "internal/format"},
	{"internal/convert", "internal/infer", "internal/ledger"},
	{"internal/sheetrows", "internal/text/texttest", "internal/create"},
	{"internal/delimited", "internal/fixed", "internal/dialect", "internal/figures", "internal/tabbed", "internal/template", "internal/proof", "internal/differ"},
	{"internal/text", "internal/standin/tds"},
	{"internal/frame", "internal/standin/tsql"},
	{"internal/source"},
	{"internal/value", "internal/table", "internal/record", "internal/publish", "internal/sheet", "internal/note", "internal/refusal", "internal/reject", "internal/codepage", "internal/btree"},
	{"internal/platform"},
}

const module = "ambertray/"

func TestImports(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}}:{{join .Imports \",\"}}", module+"...").Output()
	require.NoError(t, err)
	for line := range strings.SplitSeq(strings.TrimSpace(string(out)), "\n") {
		path, imports, _ := strings.Cut(line, ":")
		from := layerOf(path)
		for imported := range strings.SplitSeq(imports, ",") {
			if to := layerOf(imported); from >= 0 && to >= 0 {
				require.Less(t, from, to, "%s must not import %s", path, imported)
			}
			if from > 3 || strings.HasSuffix(path, "/report") {
				require.NotContains(t, []string{"github.com/spf13/cobra", module + "internal/term"}, imported, "%s is core", path)
			}
		}
		if strings.Contains(path, "internal/") && !strings.HasSuffix(path, "/house") {
			require.GreaterOrEqual(t, from, 0, "%s has no place in the layers", path)
		}
	}
}

func layerOf(path string) int {
	name := strings.TrimPrefix(path, module)
	return slices.IndexFunc(layers, func(l []string) bool { return slices.Contains(l, name) })
}

const (
	maxFile     = 500
	maxFunction = 60
)

func TestSizes(t *testing.T) {
	root := filepath.Join("..", "..")
	files := token.NewFileSet()
	err := filepath.WalkDir(root, func(path string, _ fs.DirEntry, err error) error {
		if err != nil || filepath.Ext(path) != ".go" || strings.HasSuffix(path, "_test.go") {
			return err
		}
		f, err := parser.ParseFile(files, path, nil, 0)
		if err != nil {
			return err
		}
		require.LessOrEqual(t, files.Position(f.End()).Line, maxFile, path)
		for _, d := range f.Decls {
			if fn, ok := d.(*ast.FuncDecl); ok {
				lines := files.Position(fn.End()).Line - files.Position(fn.Pos()).Line + 1
				require.LessOrEqual(t, lines, maxFunction, "%s: %s", path, fn.Name.Name)
			}
		}
		return nil
	})
	require.NoError(t, err)
}

// TestDependencies wants a reason in CONTRIBUTING for every direct dependency.
func TestDependencies(t *testing.T) {
	reasons, err := os.ReadFile(filepath.Join("..", "..", "CONTRIBUTING.md"))
	require.NoError(t, err)
	out, err := exec.Command("go", "list", "-m", "-f", "{{if not (or .Indirect .Main)}}{{.Path}}{{end}}", "all").Output()
	require.NoError(t, err)
	for path := range strings.FieldsSeq(string(out)) {
		name := strings.TrimPrefix(path, "github.com/")
		if i := strings.LastIndex(name, "/v"); i > 0 {
			name = name[:i]
		}
		require.Contains(t, string(reasons), name, "CONTRIBUTING gives no reason for it")
	}
}
