package target

import "ambertray/internal/table"

// Live is a column of a table as the server has it.
type Live struct {
	Name   string
	Native string // the server's own name of its type
	// Type is the type that values are written as; nil where the column takes
	// any. Known is false where none of ours can be written to it.
	Type      *table.Type
	Known     bool
	Nullable  bool
	Default   bool // it has a default, or counts by itself
	Generated bool // the server computes it, and takes no values
}
