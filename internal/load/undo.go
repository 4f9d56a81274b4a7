package load

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
	"ambertray/internal/pass"
	"ambertray/internal/proof"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// Undone says which rows were removed.
type Undone struct {
	Load    string `json:"load"`
	Target  string `json:"target"`
	Table   string `json:"table"`
	Source  string `json:"source"`
	Removed int64  `json:"removed"`
	Mended  int64  `json:"mended"` // of the removed rows, those of mended records
	Before  int64  `json:"table_before"`
	After   int64  `json:"table_after"`
}

// UndoError says why a load cannot be undone. Nothing was changed.
type UndoError struct {
	Load string
	Why  string
}

func (e *UndoError) Error() string { return fmt.Sprintf("load %s cannot be undone: %s", e.Load, e.Why) }

// Undo removes the rows of a load from its table, and those of its mended records, in one
// transaction. The rows are found by the key, or by the mark of the load, for each record that the
// source has now. The table must have lost exactly these rows, unchanged: the sum of its row hashes
// before, less that after, is the sum of the source's. Otherwise nothing is changed. If only the
// receipt could not be marked, the result comes with an UnrecordedError.
func Undo(ctx context.Context, t *tray.Tray, e ledger.Entry, from *source.Opener, to database.Target, progress func(pass.Progress)) (*Undone, error) {
	u := &undoing{to: to, entry: e, progress: progress}
	err := u.open(ctx, t)
	if err != nil {
		return nil, err
	}
	unlock, err := database.Lock(ctx, to, e.Table)
	if err != nil {
		return nil, err
	}
	defer unlock()
	tx, err := to.Begin(ctx)
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	err = u.remove(ctx, from)
	if err != nil {
		return nil, err
	}
	for _, e := range append(u.mends, e) {
		err = ledger.Undo(ctx, to, e.ID)
		if err != nil {
			return nil, err
		}
	}
	err = tx.Commit(context.WithoutCancel(ctx), nil)
	if err != nil {
		return nil, err
	}
	return u.result(), markUndone(u.last.dir)
}

// undoing is the state of an undo.
type undoing struct {
	to       database.Target
	entry    ledger.Entry
	progress func(pass.Progress)
	tray     *tray.Tray
	plan     *table.Table
	last     *pastLoad
	mends    []ledger.Entry // what was loaded of its rejects
	mark     string         // the column of {load}, "" to go by the key
	before   proof.Sum
	after    proof.Sum
	removed  int64
	mended   int64
}

func (u *undoing) result() *Undone {
	return &Undone{u.entry.ID, u.to.Name(), u.plan.Name, u.entry.Source, u.removed, u.mended, u.before.Rows, u.after.Rows}
}

func (u *undoing) cannot(format string, args ...any) error {
	return &UndoError{u.entry.ID, fmt.Sprintf(format, args...)}
}

// open finds what the load has left, and whether its rows can be found.
func (u *undoing) open(ctx context.Context, t *tray.Tray) error {
	if u.entry.State != ledger.Loaded {
		return u.cannot("the load is %s", u.entry.State)
	}
	err := ResolvePending(ctx, t, u.to)
	if err != nil {
		return err
	}
	dir := t.LoadDir(u.entry.Load)
	receipt, err := ReadReceipt(dir)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return u.cannot("its receipt is not in %s", t.Dir)
	case err != nil:
		return err
	case receipt.ID != u.entry.ID && isMend(u.entry):
		return u.cannot("it loaded rejects of load %s; undo that load to remove them too", receipt.ID)
	case receipt.ID != u.entry.ID:
		return u.cannot("%s has the receipt of another load", dir)
	}
	switch receipt.Outcome {
	case Merged:
		return u.cannot("the rows were merged with existing ones, which were not kept")
	case Emptied, Rebuilt:
		return u.cannot("the rows replaced others, which were not kept")
	}
	u.tray, u.last = receipt.loaded(t), &pastLoad{mark: receipt.ID, dir: dir, receipt: receipt}
	u.plan, err = u.last.fit(ctx, u.tray, u.to)
	if err != nil {
		return err
	}
	if u.plan.Name != receipt.Table {
		return u.cannot("the plan is for table %s now", u.plan.Name)
	}
	at := slices.IndexFunc(u.plan.Columns, func(c table.Column) bool { return c.Value == "{load}" && !c.LeaveOut })
	if at >= 0 {
		u.mark = u.plan.Columns[at].Name
	}
	err = u.checkTable(ctx)
	if err != nil {
		return err
	}
	if u.mark == "" && len(u.plan.Key) == 0 {
		return u.cannot("the plan has no key and no column with the mark {load}, so its rows cannot be found")
	}
	return nil
}

// checkTable makes sure that the rows, and no others, can be removed and come back.
func (u *undoing) checkTable(ctx context.Context) error {
	to, ok := u.to.(database.Stored)
	if ok {
		storage, err := to.Storage(ctx, u.plan.Name)
		if err != nil {
			return err
		}
		if storage.NoTransactions || len(storage.Servers) > 0 {
			return u.cannot("the storage engine of the table, %s, cannot roll back a failed removal", storage.Engine)
		}
	}
	cascader, ok := u.to.(database.Cascader)
	if ok {
		elsewhere, err := cascader.Cascades(ctx, u.plan.Name)
		if err != nil {
			return err
		}
		if len(elsewhere) > 0 {
			return u.cannot("removing its rows would change other rows too: %s", strings.Join(elsewhere, ", "))
		}
	}
	return nil
}

// remove removes the rows, and proves that they were those of the source.
func (u *undoing) remove(ctx context.Context, from *source.Opener) (err error) {
	hash := rowHash(u.plan, u.to.Dialect())
	lock := u.to.Dialect().LockRows
	if lock != "" {
		_, err := u.to.Query(ctx, fmt.Sprintf(lock, u.to.Dialect().QuoteTable(u.plan.Name)))
		if err != nil {
			return err
		}
	}
	u.before, err = sumRows(ctx, hash, allRows(u.to, u.plan))
	if err != nil {
		return err
	}
	links, err := u.links(ctx)
	if err != nil {
		return err
	}
	if len(links) > 0 {
		_, _, _, err = u.forRows(ctx, from, hash, "UPDATE "+u.to.Dialect().QuoteTable(u.plan.Name)+" SET "+setNull(u.to.Dialect(), links))
		if err != nil {
			return err
		}
	}
	out, mended, removed, err := u.forRows(ctx, from, hash, "DELETE FROM "+u.to.Dialect().QuoteTable(u.plan.Name))
	if err != nil {
		return err
	}
	u.removed = removed
	u.after, err = sumRows(ctx, hash, allRows(u.to, u.plan))
	if err != nil {
		return err
	}
	return u.prove(out, mended)
}

// forRows runs a statement for the rows of the load and of its mended records. It returns what the source has to load,
// the sum of the mended records, and how many rows the statement has changed.
func (u *undoing) forRows(ctx context.Context, from *source.Opener, hash proof.RowHash, statement string) (out *pass.Outcome, mended proof.Sum, changed int64, err error) {
	p, err := pass.Open(ctx, u.tray, from)
	if err != nil {
		return nil, mended, 0, err
	}
	defer p.Close()
	load := past{marks: make([]string, len(p.Parts())), refused: &refusal.List{}}
	err = load.take(u.last, u.tray, KeysOf(p.Parts()))
	if err == nil {
		err = load.leaveOthers(p)
	}
	if err == nil {
		err = u.sameContent(ctx, p)
	}
	if err != nil {
		return nil, mended, 0, err
	}
	d := u.to.Dialect()
	o := pass.Options{Dialect: d, Table: u.plan, Load: u.last.mark, Refused: load.refused, Hash: hash, Progress: u.progress}
	if u.mark == "" {
		o.Encoder = newKeyEncoder(u.plan, d)
		o.Block = func(k *convert.Block) error {
			n, err := u.forKeys(ctx, k, statement)
			changed += n
			return err
		}
	}
	out, err = p.Run(ctx, o)
	if err != nil {
		return nil, mended, 0, err
	}
	mended, err = u.withMended(ctx, from, o)
	if err == nil && u.mark != "" {
		changed, err = u.to.Exec(ctx, statement+" WHERE "+d.Quote(u.mark)+" = "+d.Literal(u.entry.ID))
	}
	return out, mended, changed, err
}

// links returns the nullable columns by which rows of the table refer to each other. They are set to NULL before rows
// are removed: these are removed some at a time, and servers check each time whether others refer to them.
func (u *undoing) links(ctx context.Context) (columns []string, err error) {
	_, ok := u.to.(database.Definer)
	if !ok {
		return nil, nil
	}
	keys, err := database.ForeignKeys(ctx, u.to, u.plan.Name)
	keys = slices.DeleteFunc(keys, func(k database.ForeignKey) bool { return !k.Own })
	if err != nil || len(keys) == 0 {
		return nil, err
	}
	live, err := database.Columns(ctx, u.to, u.plan.Name)
	for _, l := range live {
		refers := slices.ContainsFunc(keys, func(k database.ForeignKey) bool {
			return slices.ContainsFunc(k.Columns, func(name string) bool { return strings.EqualFold(name, l.Name) })
		})
		if refers && l.Nullable && !l.Generated && l.Name != u.mark && !slices.Contains(u.plan.Key, l.Name) {
			columns = append(columns, l.Name)
		}
	}
	if err != nil || len(columns) == 0 {
		return nil, err
	}
	return columns, u.checkTriggers(ctx)
}

// checkTriggers makes sure that an update of the table changes nothing else.
func (u *undoing) checkTriggers(ctx context.Context) error {
	depended, ok := u.to.(database.Depended)
	if !ok {
		return nil
	}
	list, err := depended.Dependents(ctx, u.plan)
	i := slices.IndexFunc(list, func(what string) bool { return strings.HasPrefix(what, "trigger ") })
	if err == nil && i >= 0 {
		return u.cannot("its rows may refer to each other, and %s may run when that is changed", list[i])
	}
	return err
}

func setNull(d *dialect.Dialect, columns []string) string {
	var set []string
	for _, c := range columns {
		set = append(set, d.Quote(c)+" = NULL")
	}
	return strings.Join(set, ", ")
}

// prove makes sure that the table has lost exactly the rows of the source and of its mended records.
func (u *undoing) prove(out *pass.Outcome, mended proof.Sum) error {
	want := expected(out).Plus(mended)
	u.mended = mended.Rows
	switch {
	case out.Loaded != u.entry.Loaded:
		return u.cannot("the source now has %s to load, but the load added %s", rowsText(out.Loaded), rowsText(u.entry.Loaded))
	case u.removed != want.Rows:
		return u.cannot("the table has %s with the keys or the mark of its %s; ambertray verify names the others", rowsText(u.removed), rowsText(want.Rows))
	case u.before.Minus(u.after) != want:
		return u.cannot("some of its rows were changed; ambertray verify names them")
	}
	return nil
}

// markUndone marks the receipt of a load, and that of its last mend, as undone.
func markUndone(dir string) error {
	for _, name := range []string{receiptFile, mendReceipt} {
		r, err := readReceipt(dir, name)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err == nil {
			r.Undone = true
			err = r.publish(dir, name)
		}
		if err != nil {
			return &UnrecordedError{Done: "the load is undone, but its receipt could not be written", Err: err}
		}
	}
	return nil
}

// withMended reads the mended records with options, and returns the sum of all of them. They must be those that the
// ledger knows of.
func (u *undoing) withMended(ctx context.Context, from *source.Opener, o pass.Options) (sum proof.Sum, err error) {
	if draftsLeft(u.last.dir) {
		return sum, u.cannot("a mend of its rejects was interrupted; mend again to finish it, then undo the load")
	}
	mended, err := u.last.mended(ctx, u.tray, from, o)
	if err != nil || mended.out == nil {
		return sum, err
	}
	u.mends, err = u.findMends(ctx)
	if err != nil {
		return sum, err
	}
	known := int64(0)
	for _, m := range u.mends {
		known += m.Loaded
	}
	if known != mended.out.Loaded {
		return sum, u.cannot("%s has %s, but the ledger has %s of its mends", reject.MendedName, rowsText(mended.out.Loaded), rowsText(known))
	}
	return expected(mended.out), nil
}

// findMends returns the entries of the mends of the load.
func (u *undoing) findMends(ctx context.Context) ([]ledger.Entry, error) {
	entries, err := ledger.Read(ctx, u.to, u.entry.Table)
	return slices.DeleteFunc(entries, func(e ledger.Entry) bool {
		return e.Tray != u.entry.Tray || e.Load != u.entry.Load || e.State != ledger.Loaded || !isMend(e) || e.At.Before(u.entry.At)
	}), err
}

// isMend reports whether a load was a mend: its source is a file of rejects in the folder of another load.
func isMend(e ledger.Entry) bool {
	return strings.HasSuffix(filepath.ToSlash(e.Source), e.Load+"/"+reject.FileName)
}

// sameContent makes sure that the source is what was loaded.
func (u *undoing) sameContent(ctx context.Context, p *pass.Pass) error {
	for i := range p.Parts() {
		if p.Parts()[i].LeftOut {
			continue
		}
		content, err := p.ContentOf(ctx, i)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(u.entry.Parts, func(k ledger.Part) bool { return k.Content == content }) {
			return u.cannot("%s has other content than was loaded", p.Parts()[i].Title())
		}
	}
	return nil
}

// keysAtOnce is for how many rows a statement is run.
const keysAtOnce = 500

// forKeys runs a statement for the rows that have the keys of a block.
func (u *undoing) forKeys(ctx context.Context, k *convert.Block, statement string) (changed int64, err error) {
	d := u.to.Dialect()
	var names []string
	for _, c := range u.plan.Loaded() {
		if slices.Contains(u.plan.Key, c.Name) {
			names = append(names, c.Name)
		}
	}
	for from := 0; from < len(k.Ends); from += keysAtOnce {
		var keys bytes.Buffer
		for i := from; i < min(from+keysAtOnce, len(k.Ends)); i++ {
			if i > from {
				keys.WriteString(", ")
			}
			keys.Write(k.Row(i))
			keys.WriteByte(')')
		}
		n, err := u.to.Exec(ctx, statement+" WHERE "+d.KeyIn(names, keys.String()))
		if err != nil {
			return changed, err
		}
		changed += n
	}
	return changed, nil
}

// keyEncoder writes the key of a record as constants after an opening parenthesis.
type keyEncoder struct {
	d       *dialect.Dialect
	columns []bool // whether each is of the key
}

func newKeyEncoder(plan *table.Table, d *dialect.Dialect) convert.Encoder {
	e := keyEncoder{d: d}
	for _, c := range plan.Loaded() {
		e.columns = append(e.columns, slices.Contains(plan.Key, c.Name))
	}
	return e
}

// AppendRecord implements convert.Encoder.
func (keyEncoder) AppendRecord(dst []byte) []byte { return append(dst, '(') }

// AppendNull implements convert.Encoder. No key is NULL.
func (keyEncoder) AppendNull(dst []byte, _ int) []byte { return dst }

// Column implements convert.Encoder.
func (e keyEncoder) Column(column int, t table.Type) func(dst []byte, v *value.Value) []byte {
	if !e.columns[column] {
		return func(dst []byte, _ *value.Value) []byte { return dst }
	}
	return func(dst []byte, v *value.Value) []byte {
		if dst[len(dst)-1] != '(' {
			dst = append(dst, ", "...)
		}
		return e.d.AppendLiteral(dst, t, v)
	}
}
