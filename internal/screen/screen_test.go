package screen

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"charm.land/bubbles/v2/textinput"
	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/require"

	"ambertray/internal/dialect"
	"ambertray/internal/review"
	"ambertray/internal/source"
)

// colour are the sequences that only paint.
var colour = regexp.MustCompile(`\x1b\[[0-9;]*m`)

// shown is a view of a source with texts that are hard to show.
func shown(t *testing.T, columns int) *model {
	var text strings.Builder
	for c := range columns {
		fmt.Fprintf(&text, "Größe %d 漢字\x1b[35m\x1b]0;title\x07\u202e,", c)
	}
	text.WriteString("Found\n")
	for r := range 40 {
		for c := range columns {
			text.WriteString([]string{"1.5", "", "tab\there", "\x1b[2J\u009bA\x7f", "😀👩‍👩‍👧", strings.Repeat("long ", 40), "2026-01-31", "n/a"}[(r+c)%8] + ",")
		}
		fmt.Fprintf(&text, "%02d/01/2026\n", 1+r%30)
	}
	dir := t.TempDir()
	file := filepath.Join(dir, "finds.csv")
	require.NoError(t, os.WriteFile(file, []byte(text.String()), 0o600))
	s, err := review.Open(context.Background(), &source.Opener{}, review.Options{Names: []string{file}, Dir: filepath.Join(dir, "finds.tray"), Dialect: dialect.PostgreSQL})
	require.NoError(t, err)
	m := &model{session: s, title: file, ctx: context.Background(), work: &worker{}, input: textinput.New(), width: minWidth, height: minHeight, send: func(tea.Msg) {}}
	m.refresh()
	return m
}

// keyOf is the key of a name.
func keyOf(name string) tea.KeyPressMsg {
	codes := map[string]rune{"up": tea.KeyUp, "down": tea.KeyDown, "enter": tea.KeyEnter, "esc": tea.KeyEscape, "pgup": tea.KeyPgUp, "pgdown": tea.KeyPgDown, "home": tea.KeyHome, "end": tea.KeyEnd, "backspace": tea.KeyBackspace}
	code, ok := codes[name]
	if ok {
		return tea.KeyPressMsg{Code: code}
	}
	return tea.KeyPressMsg{Code: []rune(name)[0], Text: name}
}

// TestAnyKeys presses keys at random in windows of any size: every line fits, the screen is as
// high as the window, and undoing everything gives back the plan that was saved last.
func TestAnyKeys(t *testing.T) {
	keys := []string{"up", "down", "enter", "esc", "pgup", "pgdown", "home", "end", "backspace", "<", ">", "z", "k", "o", "1", "2", "3", "u", "/", "?", "t", "n", "f", "w", "d", "c", "s", "l", "i", "e", "x", "5", "é", "漢"}
	for seed := range uint64(2) {
		rng := rand.New(rand.NewPCG(seed, 1))
		m := shown(t, 1+rng.IntN(30))
		saved := m.session.Tray().Table
		var pressed []string
		for range 150 {
			if rng.IntN(10) == 0 {
				m.Update(tea.WindowSizeMsg{Width: minWidth + rng.IntN(80), Height: minHeight + rng.IntN(30)})
			}
			key := keys[rng.IntN(len(keys))]
			pressed = append(pressed, key)
			m.Update(keyOf(key))
			if !m.session.Changed() {
				saved = m.session.Tray().Table
			}
			lines := strings.Split(m.draw(), "\n")
			require.LessOrEqual(t, len(lines), m.height, pressed)
			for _, line := range lines {
				require.LessOrEqual(t, ansi.StringWidth(line), m.width, "%q after %q", line, pressed)
				require.NotContains(t, line, "\x1b[35m", "a heading of the source paints the screen")
				require.NotRegexp(t, `[\x00-\x1f\x7f-\x9f\x{202e}]`, colour.ReplaceAllString(line, ""), "the source steers the terminal")
			}
			require.NotEmpty(t, m.column().Name, "the cursor is on a column")
		}
		for m.session.Undo() {
		}
		require.Equal(t, saved, m.session.Tray().Table, "%q", pressed)
	}
}

// TestSmallWindow says how large a window has to be.
func TestSmallWindow(t *testing.T) {
	m := shown(t, 2)
	m.Update(tea.WindowSizeMsg{Width: minWidth - 1, Height: minHeight})
	require.Contains(t, m.draw(), "79 × 24 characters; review needs 80 × 24")
}
