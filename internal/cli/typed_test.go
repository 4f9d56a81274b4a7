package cli

import (
	"io"
	"io/fs"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/source"
	"ambertray/internal/term"
)

var (
	typedCommand = regexp.MustCompile("ambertray ([a-z]+)([^\"`;:,)\n]*)")
	typedOption  = regexp.MustCompile(`--([a-z][a-z-]+)`)
)

// TestSuggestedCommands wants every command and option in hints, help and documents to exist.
func TestSuggestedCommands(t *testing.T) {
	a := &app{print: term.NewPrinter(io.Discard), from: &source.Opener{}}
	root := a.newRoot()
	found := 0
	for _, dir := range []string{"..", "../../docs"} {
		err := fs.WalkDir(os.DirFS(dir), ".", func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || strings.HasSuffix(path, "_test.go") || !strings.HasSuffix(path, ".go") && !strings.HasSuffix(path, ".md") {
				return err
			}
			text, err := os.ReadFile(dir + "/" + path)
			require.NoError(t, err)
			for _, m := range typedCommand.FindAllStringSubmatch(string(text), -1) {
				c, _, err := root.Find(strings.Fields(m[1]))
				options := typedOption.FindAllStringSubmatch(m[2], -1)
				if len(options) == 0 {
					continue
				}
				require.NoError(t, err, "%s: %s", path, m[0])
				for _, o := range options {
					found++
					known := c.Flags().Lookup(o[1]) != nil || c.InheritedFlags().Lookup(o[1]) != nil || o[1] == "help"
					require.True(t, known, "%s: %s: no option --%s", path, m[0], o[1])
				}
			}
			return nil
		})
		require.NoError(t, err)
	}
	require.Greater(t, found, 150)
}
