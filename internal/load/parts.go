package load

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"math"
	"os"
	"path/filepath"

	"ambertray/internal/convert"
	"ambertray/internal/ledger"
	"ambertray/internal/publish"
	"ambertray/internal/table"
)

// ErrNeedsLedger is returned for a load that is to commit in parts and may not
// write down how far it has come.
var ErrNeedsLedger = errors.New("a load that commits every so many records needs the ledger, to go on where it was interrupted")

// PartialError says that a load has failed of which some is in the table.
type PartialError struct {
	Err   error
	Entry ledger.Entry // as far as it has come
}

func (e *PartialError) Error() string {
	return fmt.Sprintf("%v; %d rows are committed, up to record %d, as load %s", e.Err, e.Entry.Loaded, e.Entry.Record, e.Entry.ID)
}

func (e *PartialError) Unwrap() error { return e.Err }

// OtherTrayError says that a load of some of the same content has committed rows
// and did not come to its end, and that it was begun from another tray, or with
// other files: only that tray knows what became of its records.
type OtherTrayError struct{ ledger.Entry }

func (e *OtherTrayError) Error() string {
	return fmt.Sprintf("load %s of %s was begun from %s, has committed %d rows and did not come to its end", e.ID, e.Source, e.Tray, e.Loaded)
}

// parts is the state of a load that commits every so many records. The ledger
// says in the same transaction up to which record it has come, so that the same
// load, begun anew, goes on behind that.
type parts struct {
	entry    ledger.Entry // as the ledger has it, if it is written
	written  bool
	from     ledger.Place // what is already in the table
	place    ledger.Place // of the last row that was sent
	records  int64        // that were sent since the last commit
	read     int64
	rejected int64 // by us
	loaded   int64
	refused  convert.Refusals
}

// progress is what the folder of the load says besides.
type progress struct {
	Done    string          `json:"done"`
	Before  int64           `json:"table_before"`
	Figures []table.Figures `json:"figures_before"`
}

const progressFile = "progress.json"

// beginParts goes on with a load that has committed some of its records; done
// tells that the table is ready for the rest.
func (l *loading) beginParts(ctx context.Context) (done bool, err error) {
	p := l.parts
	p.entry.Load = l.receipt.Load
	if !p.written && l.to.Dialect().DefinitionsCommit { // a table that is made is there at once
		if err := ledger.Write(ctx, l.to, &p.entry); err != nil {
			return false, err
		}
		p.written = true
	}
	p.from, p.place, p.loaded = p.entry.Place, p.entry.Place, p.entry.Loaded
	if p.from == (ledger.Place{}) {
		return false, l.startOver(ctx)
	}
	text, err := os.ReadFile(filepath.Join(l.dir, progressFile))
	if err != nil {
		return false, fmt.Errorf("load %s has to go on: %w", p.entry.ID, err)
	}
	var was progress
	if err := json.Unmarshal(text, &was); err != nil {
		return false, fmt.Errorf("%s: %w", progressFile, err)
	}
	list, err := readRefused(l.dir)
	if err != nil {
		return false, err
	}
	p.refused = *list
	p.refused.DropAfter(convert.Where(p.from)) // which was rolled back
	l.receipt.Done, l.receipt.Before, l.receipt.Counts.TableBefore = was.Done, was.Figures, was.Before
	l.receipt.Continued = p.entry.Loaded
	if was.Done == "appended" {
		l.before = counted{was.Before, was.Figures}
	}
	return true, l.fitTable(ctx)
}

// startOver lets a load that was interrupted before its first commit use the
// table that it has made.
func (l *loading) startOver(ctx context.Context) error {
	if l.plan.Existing != table.Refuse || !l.to.Dialect().DefinitionsCommit {
		return nil
	}
	exists, err := l.to.Exists(ctx, l.table.Name)
	if err != nil || !exists {
		return err
	}
	rows, err := l.rows(ctx)
	if err == nil && rows == 0 && l.parts.entry.At != l.receipt.Begun {
		plan := *l.plan
		plan.Existing = table.Append
		l.plan = &plan
	}
	return err
}

// writePart sends a block, and commits when it is time.
func (l *loading) writePart(ctx context.Context, k *convert.Block) error {
	p := l.parts
	p.read += k.Read + k.Skipped.Total()
	p.rejected += int64(len(k.Rejects))
	k.DropThrough(convert.Where(p.from))
	for len(k.Numbers) > 0 {
		rows := int64(len(k.Numbers))
		if l.Every > 0 {
			rows = min(rows, l.Every-p.records)
		}
		head := k.Head(int(rows))
		p.place = ledger.Place{Part: k.Part, Record: head.Numbers[rows-1]}
		p.records += rows
		if err := l.sink.Write(head); err != nil {
			return err
		}
		k.DropThrough(convert.Where(p.place))
		if l.Every == 0 || p.records < l.Every {
			continue
		}
		p.records = 0
		if err := l.commitPart(ctx); err != nil {
			return err
		}
	}
	return nil
}

// commitPart commits what was sent so far and begins anew.
func (l *loading) commitPart(ctx context.Context) (err error) {
	p := l.parts
	if _, _, err := l.closeSink(nil); err != nil {
		return err
	}
	rejected := p.rejected + int64(p.refused.Len())
	if l.plan.Allow.Exceeded(rejected, math.MaxInt64) { // a share is known only at the end
		return &TooManyError{Rejected: rejected, Records: p.read, Allow: l.plan.Allow, File: l.rejects.Path}
	}
	if err := l.writeProgress(); err != nil {
		return err
	}
	next := p.next(l)
	if err := l.tx.Commit(context.WithoutCancel(ctx), &next); err != nil {
		return err
	}
	p.entry, p.written = next, true
	if l.tx, err = l.to.Begin(ctx); err != nil {
		return err
	}
	l.sink, err = l.tx.Load(ctx, l.table)
	return err
}

// next returns the entry as it is to be written now.
func (p *parts) next(l *loading) ledger.Entry {
	e := p.entry
	e.Read, e.Loaded, e.Place, e.Load = p.read, p.loaded, p.place, l.receipt.Load
	e.Last, e.Replaces = nil, false
	if p.written {
		e.Last = &p.entry.Place
	}
	if p.entry.Place == (ledger.Place{}) { // it is the first commit
		e.Replaces = l.receipt.Done != "appended"
	}
	return e
}

func (l *loading) writeProgress() error {
	was := progress{l.receipt.Done, l.receipt.Counts.TableBefore, l.before.figures}
	text, err := json.Marshal(was)
	if err != nil {
		return err
	}
	if err := writeRefused(l.dir, &l.parts.refused); err != nil {
		return err
	}
	err = publish.File(filepath.Join(l.dir, progressFile), append(text, '\n'))
	if errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("the folder of the load is gone: %w", err)
	}
	return err
}
