package load

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/note"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// LossError lists what would be lost with a table that is rebuilt, or changed with the rows
// of a table that is emptied.
type LossError struct {
	Existing table.Existing
	Table    string
	What     []string
}

// maxLosses is how many of them an error names.
const maxLosses = 20

func (e *LossError) Error() string {
	what := note.FirstNames(e.What, maxLosses)
	if e.Existing == table.Empty {
		return fmt.Sprintf("empty table %s: other tables may change too: %s", e.Table, what)
	}
	return fmt.Sprintf("rebuild table %s: these would be lost: %s", e.Table, what)
}

// losses lists what else would be lost if a table were rebuilt by the plan of a tray, or might change in
// other tables if it were emptied.
func losses(ctx context.Context, t *tray.Tray, plan *table.Table, to database.Target) (list []string, err error) {
	cascader, cascades := to.(database.Cascader)
	depended, depends := to.(database.Depended)
	switch {
	case plan.Existing == table.Empty && cascades:
		return cascader.Cascades(ctx, plan.Name)
	case plan.Existing != table.Rebuild:
		return nil, nil
	case depends:
		list, err = depended.Dependents(ctx, plan)
	}
	if err != nil {
		return nil, err
	}
	columns, err := lostColumns(ctx, t, plan, to)
	return append(list, columns...), err
}

// checkLosses refuses to rebuild a table on which other things depend, and to remove the rows of one if rows
// of other tables may change with them. If that was accepted, it is noted.
func (j *job) checkLosses(ctx context.Context) error {
	lost, err := losses(ctx, j.tray, j.table, j.to)
	if err != nil || len(lost) == 0 || j.RollBack {
		return err
	}
	if !j.AcceptLoss {
		return &LossError{j.plan.Existing, j.table.Name, lost}
	}
	remark := "lost with the table that was rebuilt: "
	if j.plan.Existing == table.Empty {
		remark = "other tables may have changed when the table was emptied: "
	}
	j.receipt.Remarks = append(j.receipt.Remarks, remark+strings.Join(lost, ", "))
	return nil
}

// lostColumns lists the columns that only the existing table has, unless an earlier load of the tray has
// filled them, and the primary key if the plan has no key.
func lostColumns(ctx context.Context, t *tray.Tray, plan *table.Table, to database.Target) (lost []string, err error) {
	live, err := database.Columns(ctx, to, plan.Name)
	if err != nil {
		return nil, err
	}
	ours, err := filledColumns(t, plan.Name, to)
	if err != nil {
		return nil, err
	}
	for _, c := range plan.Loaded() {
		ours[strings.ToLower(c.Name)] = true
	}
	for _, l := range live {
		if !ours[strings.ToLower(l.Name)] && !l.Default && !l.Generated { // those are lost as defaults
			lost = append(lost, "column "+l.Name)
		}
	}
	if len(plan.Key) > 0 {
		return lost, nil
	}
	key, err := database.PrimaryKey(ctx, to, plan.Name)
	notOurs := func(column string) bool { return !ours[strings.ToLower(column)] }
	if len(key) > 0 && !slices.ContainsFunc(key, notOurs) {
		lost = append(lost, "primary key "+strings.Join(key, ", "))
	}
	return lost, err
}

// filledColumns returns the columns of a table, in lower case, that earlier loads of the tray have filled.
func filledColumns(t *tray.Tray, name string, to database.Target) (map[string]bool, error) {
	filled := map[string]bool{}
	ids, err := t.Loads()
	if err != nil {
		return nil, err
	}
	for _, id := range ids {
		r, err := ReadReceipt(t.LoadDir(id))
		if err != nil || r.Target != to.Name() || r.Table != name { // a load that failed has no receipt
			continue
		}
		for _, c := range r.Columns {
			filled[strings.ToLower(c.Name)] = true
		}
	}
	return filled, nil
}
