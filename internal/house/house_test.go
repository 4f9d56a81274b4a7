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
	{"internal/frame", "internal/parse", "internal/standin/tsql"},
	{"internal/source"},
	{"internal/value", "internal/table", "internal/record", "internal/publish", "internal/sheet", "internal/refusal", "internal/reject", "internal/codepage", "internal/btree"},
	{"internal/platform", "internal/note"},
}

const module = "ambertray/"

func TestImports(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}}:{{join .Imports \",\"}}", module+"...").Output()
	require.NoError(t, err)
	for line := range strings.SplitSeq(strings.TrimSpace(string(out)), "\n") {
		path, imports, _ := strings.Cut(line, ":")
		from := layerOf(path)
		for imported := range strings.SplitSeq(imports, ",") {
			to := layerOf(imported)
			if from >= 0 && to >= 0 {
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
	eachFile(t, func(path string, files *token.FileSet, f *ast.File) {
		if strings.HasSuffix(path, "_test.go") {
			return
		}
		require.LessOrEqual(t, files.Position(f.End()).Line, maxFile, path)
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if ok {
				lines := files.Position(fn.End()).Line - files.Position(fn.Pos()).Line + 1
				require.LessOrEqual(t, lines, maxFunction, "%s: %s", path, fn.Name.Name)
			}
		}
	})
}

// TestOneStatement finds statements that are hidden in the line of an if or a switch.
func TestOneStatement(t *testing.T) {
	eachFile(t, func(_ string, files *token.FileSet, f *ast.File) {
		ast.Inspect(f, func(n ast.Node) bool {
			var hidden ast.Stmt
			switch n := n.(type) {
			case *ast.IfStmt:
				hidden = n.Init
			case *ast.SwitchStmt:
				hidden = n.Init
			case *ast.TypeSwitchStmt:
				hidden = n.Init
			}
			if hidden != nil {
				require.Fail(t, "a statement in the line of an if or a switch", files.Position(hidden.Pos()).String())
			}
			return true
		})
	})
}

// eachFile parses every file of the project.
func eachFile(t *testing.T, each func(path string, files *token.FileSet, f *ast.File)) {
	files := token.NewFileSet()
	err := filepath.WalkDir(filepath.Join("..", ".."), func(path string, _ fs.DirEntry, err error) error {
		if err != nil || filepath.Ext(path) != ".go" {
			return err
		}
		f, err := parser.ParseFile(files, path, nil, 0)
		if err == nil {
			each(path, files, f)
		}
		return err
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
		i := strings.LastIndex(name, "/v")
		if i > 0 {
			name = name[:i]
		}
		require.Contains(t, string(reasons), name, "CONTRIBUTING gives no reason for it")
	}
}
