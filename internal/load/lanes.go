package load

import (
	"context"
	"runtime"

	"ambertray/internal/database"
)

// Of the lanes that are chosen where nobody says how many.
const (
	maxLanes = 8
	// laneBytes is the size of a source below which another connection costs more time
	// than it saves.
	laneBytes = 32 << 20
)

// chooseLanes returns over how many connections the table is loaded. A table that is not
// new takes one: all its rows have to be in one transaction.
func (j *job) chooseLanes(ctx context.Context, newTable, checkpoints bool) (int, error) {
	to, ok := j.to.(database.Laned)
	why := ""
	switch {
	case !ok:
		why = j.to.Dialect().Title + " is loaded over one connection"
	case checkpoints:
		why = "a load that commits every N records sends them in their order"
	case !newTable:
		why = "rows are added to an existing table in one transaction, which is that of one connection"
	case j.Lanes > 0:
		return j.Lanes, nil
	case j.pass.Size() < laneBytes:
		return 1, nil
	default:
		lanes, err := to.Lanes(ctx)
		return max(1, min(lanes, runtime.GOMAXPROCS(0), maxLanes)), err
	}
	if j.Lanes > 1 {
		j.receipt.Remarks = append(j.receipt.Remarks, "one lane: "+why)
	}
	return 1, nil
}
