package main_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/demo"
)

// TestRecipes runs every recipe exactly as it is printed: it writes the files that are
// shown, runs the commands, and looks for the lines that they print.
func TestRecipes(t *testing.T) {
	text, err := os.ReadFile("../../docs/recipes.md")
	require.NoError(t, err)
	recipes := regexp.MustCompile(`(?m)^## `).Split(string(text), -1)[1:]
	require.GreaterOrEqual(t, len(recipes), 20)
	block := regexp.MustCompile("(?s)(?:`([^`\n]+)`:\n\n)?```(\\w+)\n(.*?)```")
	for _, recipe := range recipes {
		title, body, _ := strings.Cut(recipe, "\n")
		t.Run(title, func(t *testing.T) {
			d := newDesk(t)
			for _, name := range []string{"localities.txt", "reports.tsv", "loans-2026.xlsx"} {
				file, err := demo.Files.ReadFile(name)
				require.NoError(t, err)
				d.write(name, string(file))
			}
			said := ""
			for _, b := range block.FindAllStringSubmatch(body, -1) {
				name, kind, content := b[1], b[2], b[3]
				switch {
				case name != "":
					d.write(name, content)
					d.age(name)
				case kind == "sh":
					c := exec.Command("bash", "-euo", "pipefail", "-c", content)
					c.Dir = d.dir
					c.Env = append(os.Environ(), "PATH="+filepath.Dir(program)+":"+os.Getenv("PATH"), "AMBERTRAY_TO=")
					out, err := c.CombinedOutput()
					require.NoError(t, err, string(out))
					said = strings.Join(strings.Fields(string(out)), " ")
				case kind == "text":
					for line := range strings.Lines(content) {
						require.Contains(t, said, strings.Join(strings.Fields(line), " "))
					}
				}
			}
		})
	}
}
