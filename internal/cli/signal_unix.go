//go:build unix

package cli

import (
	"os/signal"
	"syscall"
)

// ignoreFileLimit makes a limit to the size of files an error like a full disk.
func ignoreFileLimit() { signal.Ignore(syscall.SIGXFSZ) }
