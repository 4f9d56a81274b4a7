// Package platform is where operating systems differ. Nothing else asks for them.
package platform

import (
	"errors"

	"golang.org/x/sys/windows"
)

// SyncDir makes the names in a folder safe from a crash: NTFS writes them to its journal by
// itself, and gives nobody a way to wait for it.
func SyncDir(string) error { return nil }

// DiskFull reports whether an error says that a disk is full.
func DiskFull(err error) bool {
	return errors.Is(err, windows.ERROR_DISK_FULL) || errors.Is(err, windows.ERROR_HANDLE_DISK_FULL) || errors.Is(err, windows.ERROR_DISK_QUOTA_EXCEEDED)
}

// InUse reports whether an error is that another program keeps a file to itself.
func InUse(err error) bool {
	return errors.Is(err, windows.ERROR_SHARING_VIOLATION) || errors.Is(err, windows.ERROR_LOCK_VIOLATION)
}

// IgnoreFileLimit does nothing: Windows has no such limit.
func IgnoreFileLimit() {}
