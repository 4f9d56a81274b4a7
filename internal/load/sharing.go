package load

import (
	"context"
	"errors"
	"fmt"
	"time"

	"ambertray/internal/database"
)

// Sharing divides a load among all loaders that are started with the same command, on any
// machine. Each leases one share of the records at a time in the ledger, loads, proves and
// commits it. The lease of a loader that dies expires, and another loader takes the share.
type Sharing struct {
	// Connect opens another connection to the target, over which leases are renewed.
	Connect func(ctx context.Context) (database.Target, error)
	// Lease is how long a share stays with a loader that no longer renews its lease.
	Lease time.Duration
}

// Shared is what a receipt says of a shared load.
type Shared struct {
	Shares  int          `json:"shares"`
	Own     int          `json:"own"` // shares that this loader has loaded
	Loaders []LoaderWork `json:"loaders"`
}

// LoaderWork is what one loader has loaded.
type LoaderWork struct {
	Loader   string `json:"loader"`
	Shares   int    `json:"shares"`
	Loaded   int64  `json:"loaded"`
	Rejected int64  `json:"rejected"`
}

// shareRecords is the number of records of a share, unless set otherwise.
const shareRecords = 250_000

// Errors of shared loads.
var (
	ErrShareExisting = errors.New("a shared load can only create its table or append to it")
	ErrShareTarget   = errors.New("only PostgreSQL, MySQL and MariaDB support shared loads")
	ErrSharedLoad    = errors.New("unfinished, and begun as a shared load")
	ErrNotShared     = errors.New("unfinished, and not begun as a shared load")
	ErrOtherPlan     = errors.New("another loader uses a different plan")
	ErrLeaseLost     = errors.New("the lease expired, and another loader has taken the share")
)

// ShareError is the failure of a loader. The proved shares stay in the table.
type ShareError struct {
	Err    error
	Load   string
	Proved int // shares, by all loaders
	Of     int
}

func (e *ShareError) Error() string {
	return fmt.Sprintf("%v; %d of %d shares of load %s are proved and stay in the table", e.Err, e.Proved, e.Of, e.Load)
}

func (e *ShareError) Unwrap() error { return e.Err }
