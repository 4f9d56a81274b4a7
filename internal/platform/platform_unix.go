//go:build unix

// Package platform is where operating systems differ. Nothing else asks for them.
package platform

import (
	"errors"
	"os"
	"os/signal"
	"syscall"
)

// SyncDir makes the names in a folder safe from a crash.
func SyncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	return errors.Join(d.Sync(), d.Close())
}

// DiskFull reports whether an error says that a disk is full.
func DiskFull(err error) bool {
	return errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT) || errors.Is(err, syscall.EFBIG)
}

// InUse reports whether an error is that another program keeps a file to itself, which none
// can do here.
func InUse(error) bool { return false }

// IgnoreFileLimit makes a write beyond the limit to the size of files fail, instead of
// ending the program.
func IgnoreFileLimit() { signal.Ignore(syscall.SIGXFSZ) }
