//go:build !unix

package cli

// ignoreFileLimit does nothing where files have no such limit.
func ignoreFileLimit() {}
