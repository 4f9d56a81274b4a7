package term

import (
	"fmt"
	"io"
	"os"

	"golang.org/x/term"
)

// CanAsk tells whether a person is there to answer.
func CanAsk() bool { return term.IsTerminal(int(os.Stdin.Fd())) && term.IsTerminal(int(os.Stderr.Fd())) }

// AskSecret asks for something that does not show as it is typed.
func AskSecret(out io.Writer, prompt string) (string, error) {
	fmt.Fprint(out, prompt)
	secret, err := term.ReadPassword(int(os.Stdin.Fd()))
	fmt.Fprintln(out)
	return string(secret), err
}
