// Package load loads a source into a table: it reads, converts, sends, verifies
// and commits, or leaves the database unchanged. A job takes one of four ways of
// loading through the phases in run.go; each way is a type in a file of its own.
package load

import (
	"errors"

	"ambertray/internal/note"
	"ambertray/internal/pass"
)

// ErrDiffers is returned, with the receipt, when verification found a
// difference and the load was rolled back.
var ErrDiffers = errors.New("the table differs from the source")

// ErrCommitted is returned, with ErrDiffers, when rows were committed at
// checkpoints, which stay.
var ErrCommitted = errors.New("rows are committed, and the rest is rolled back")

// errRolledBack ends a load that rolls everything back, when its rows are proved.
var errRolledBack = errors.New("rolled back")

// Options of a load.
type Options struct {
	Again   bool // load content that is in the table already once more
	OnlyNew bool // leave out files and sheets that are in the table already
	// AcceptLoss rebuilds a table although something that hangs on it is lost,
	// NoRollback loads into one that cannot take rows back.
	AcceptLoss, NoRollback bool

	RollBack bool // roll everything back in the end
	NoLedger bool // neither look into the ledger nor write it
	Verify   Depth
	Rows     int      // how many of the first rows are shown, as the table has them
	Every    int64    // commit every N records, or 0 for one transaction
	Lanes    int      // number of connections that load side by side, or 0 for the number that helps
	Sharing  *Sharing // nil for a load that nobody else takes part in
	Progress func(pass.Progress)
	Notes    []note.Note // of the survey by which the plan was drafted
	// AppendNext makes a plan that refuses an existing table append to the one that it has
	// created, so that the next file is added. The ledger keeps the same content out.
	AppendNext bool
}

// The phases of a load after its records are read, as Progress and the receipt name them.
const (
	PhaseFinish     = "finish" // the server takes what it was sent, and builds the key
	PhaseIndex      = "index"
	PhaseMerge      = "merge"
	PhaseVerify     = "verify"
	PhaseCommit     = "commit"
	PhaseStatistics = "statistics"
	PhaseRollback   = "rollback"
)

// Depth is how much of the table is verified.
type Depth string

// EveryRow proves each row of the load, RowsOnly counts them.
const (
	EveryRow Depth = "rows"
	RowsOnly Depth = "counts"
)

// Set implements pflag.Value.
func (d *Depth) Set(word string) error {
	*d = Depth(word)
	if *d != EveryRow && *d != RowsOnly {
		return errors.New("write rows or counts")
	}
	return nil
}

// String and Type implement pflag.Value.
func (d *Depth) String() string { return string(*d) }
func (d *Depth) Type() string   { return "VALUE" }
