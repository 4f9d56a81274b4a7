package term

import (
	"errors"
	"io"
	"os"
	"strings"

	"golang.org/x/term"
)

// CanAsk reports whether a person is there to answer.
func CanAsk() bool {
	return term.IsTerminal(int(os.Stdin.Fd())) && term.IsTerminal(int(os.Stderr.Fd()))
}

// AskSecret asks for something that does not show as it is typed. The terminal
// is switched before the question, because some people type fast.
func AskSecret(prompt string) (string, error) {
	was, err := term.MakeRaw(int(os.Stdin.Fd()))
	if err != nil {
		return "", err
	}
	defer term.Restore(int(os.Stdin.Fd()), was)
	return term.NewTerminal(struct {
		io.Reader
		io.Writer
	}{os.Stdin, os.Stderr}, "").ReadPassword(prompt)
}

// Ask asks a question that is answered with y or yes, or with anything else for no. An
// interruption is a no.
func Ask(question string) (yes bool, err error) {
	was, err := term.MakeRaw(int(os.Stdin.Fd()))
	if err != nil {
		return false, err
	}
	defer term.Restore(int(os.Stdin.Fd()), was)
	answer, err := term.NewTerminal(struct {
		io.Reader
		io.Writer
	}{os.Stdin, os.Stderr}, question+" [y/N] ").ReadLine()
	if errors.Is(err, io.EOF) {
		return false, nil
	}
	answer = strings.ToLower(strings.TrimSpace(answer))
	return answer == "y" || answer == "yes", err
}
