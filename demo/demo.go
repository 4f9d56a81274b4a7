// Package demo holds the files of the Kestrel Bay Museum, all of them made up.
package demo

import "embed"

// Files are the museum's files.
//
//go:embed *.csv *.tsv *.txt *.xlsx
var Files embed.FS
