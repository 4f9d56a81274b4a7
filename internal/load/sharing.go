package load

import (
	"context"
	"errors"
	"fmt"
	"time"

	"ambertray/internal/database"
)

// Sharing shares a load out among all loaders that are started with the same command,
// on any machine. Each takes one share of the records at a time, by a lease in the ledger,
// loads, proves and commits it. One that dies loses its lease, and another goes on.
type Sharing struct {
	// Connect opens another connection to the target, over which leases are renewed.
	Connect func(ctx context.Context) (database.Target, error)
	// Lease is for how long a share stays with a loader that gives no sign of life.
	Lease time.Duration
}

// Shared is what a receipt says of a load that was shared out.
type Shared struct {
	Shares  int          `json:"shares"`
	Own     int          `json:"own"` // that this loader has loaded
	Loaders []LoaderWork `json:"loaders"`
}

// LoaderWork is what one loader has loaded.
type LoaderWork struct {
	Loader   string `json:"loader"`
	Shares   int    `json:"shares"`
	Loaded   int64  `json:"loaded"`
	Rejected int64  `json:"rejected"`
}

// shareRecords is how many records a share has, if nobody says another number.
const shareRecords = 250_000

// Errors of loads that are shared out.
var (
	ErrShareNew    = errors.New("only loads that make a table or append to one are shared out")
	ErrShareTarget = errors.New("a load is shared out into PostgreSQL, MySQL and MariaDB only")
	ErrSharedOut   = errors.New("the load is shared out")
	ErrNotShared   = errors.New("the load was begun by one loader that shares it with nobody")
	ErrOtherPlan   = errors.New("another loader has begun it by another plan")
	ErrLeaseLost   = errors.New("the lease of the share has run out, and another loader has taken it")
)

// ShareError says that a loader has failed. The shares that are proved stay.
type ShareError struct {
	Err    error
	Load   string
	Proved int // shares, by all loaders
	Of     int
}

func (e *ShareError) Error() string {
	return fmt.Sprintf("%v; %d of %d shares of load %s are proved, and stay", e.Err, e.Proved, e.Of, e.Load)
}

func (e *ShareError) Unwrap() error { return e.Err }
