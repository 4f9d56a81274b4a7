package mysql

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"
	"sync/atomic"

	"github.com/go-sql-driver/mysql"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/tabbed"
	"ambertray/internal/table"
)

// batchSize is how much text one statement loads: enough for its cost not to
// count, and little enough to be sent again.
const batchSize = 4 << 20

// sink gathers blocks into batches and loads one batch with one statement.
type sink struct {
	ctx     context.Context
	t       *Target
	tab     *table.Table
	table   string // as statements write it, and its columns
	columns string
	reader  string // name of the driver's reader
	bulk    bool   // the server takes a local bulk load
	off     bool   // its variable local_infile is off
	// perInsert is how many rows a statement inserts, where there is no bulk load.
	perInsert int
	feeder    *database.Feeder
	batch     *database.Batch // that is being loaded
	left      []refusal.Where // rows of the batch that were refused and are in it still
	added     *added          // notes the rows that are added, unless nil
	pending   int             // bytes that are not committed yet, of a stage
	key       []string        // names of the columns of the key
	keyAt     int             // index of the column of a key of one, or -1
	longest   int             // bytes of the longest value that the server takes
	rows      int64
	// lanes load side by side, this sink among them; none if it loads alone.
	lanes       []*sink
	laneRemarks []string
	// collations explains keys that are equal by the collation of their columns.
	collations []string
	refused    refusal.List // by the server; the feeder's goroutine adds them
	long       refusal.List // longer than a packet
}

var readers atomic.Int64 // names are the driver's, for the whole program

func newReader() string { return fmt.Sprintf("reader-%d", readers.Add(1)) }

// Load implements database.Tx.
func (x *tx) Load(ctx context.Context, tab *table.Table) (database.Sink, error) {
	storage, err := x.t.Storage(ctx, x.t.current(tab.Name))
	if err != nil {
		return nil, err
	}
	if storage.NoSavepoints && !storage.NoTransactions {
		err := x.joinInBatches(ctx, &storage)
		if err != nil {
			return nil, err
		}
		return x.loadAside(ctx, tab)
	}
	if x.lanes > 1 {
		return x.lanedSink(ctx, tab)
	}
	s, err := x.newSink(ctx, tab)
	if err != nil {
		return nil, err
	}
	if storage.NoTransactions { // of a statement that fails in the middle the first rows would stay
		s.bulk, s.perInsert = false, 1
	}
	return s, nil
}

func (x *tx) newSink(ctx context.Context, tab *table.Table) (*sink, error) {
	s := &sink{
		ctx: ctx, t: x.t, key: tab.Key, reader: newReader(),
		tab:   tab,
		table: dialect.MySQL.QuoteTable(x.t.current(tab.Name)), columns: dialect.MySQL.Columns(tab), perInsert: rowsPerInsert,
	}
	s.feeder = database.NewFeeder(batchSize, s.load)
	if x.added != nil && x.added.key != nil {
		s.added = x.added
	}
	s.keyAt = slices.IndexFunc(tab.Loaded(), func(c table.Column) bool { return len(tab.Key) == 1 && c.Name == tab.Key[0] })
	if x.t.staged != "" {
		err := x.t.exec(ctx, "START TRANSACTION")
		if err != nil {
			return nil, x.t.fail("load", err)
		}
	}
	err := x.t.fail("load", x.t.exec(ctx, "SET max_error_count = 65535"))
	if err != nil && !errors.Is(err, database.ErrPermission) { // MySQL allows it to few; more warnings are looked up otherwise
		return nil, err
	}
	err = x.t.conn.QueryRowContext(ctx, "SELECT @@local_infile, @@max_allowed_packet").Scan(&s.bulk, &s.longest)
	if err != nil {
		return nil, x.t.fail("ask for local_infile", err)
	}
	s.longest -= packetRoom
	s.bulk = s.bulk && !x.t.noBulk
	s.off = !s.bulk
	mysql.RegisterReaderHandler(s.reader, func() io.Reader { return bytes.NewReader(s.batch.Rows(0, s.batch.Len())) })
	return s, nil
}

// Encoder implements database.Sink.
func (s *sink) Encoder() convert.Encoder { return tabbed.Encoder{} }

// Remarks implements database.Sink.
func (s *sink) Remarks() []string {
	remarks := append(s.laneRemarks, s.collations...)
	if !s.off {
		return remarks
	}
	return append(remarks, "the server's variable local_infile is OFF, which forbids its bulk load: rows were inserted instead, which is slower; SET GLOBAL local_infile = ON allows it")
}

// Write implements database.Sink.
func (s *sink) Write(k *convert.Block) error {
	start, long := 0, []int(nil)
	for i, end := range k.Ends {
		k.Data[end-1] = '\n'
		if end-start > s.longest {
			long = append(long, i)
		}
		start = end
	}
	if long != nil {
		s.refuseLong(k, long)
	}
	return s.feeder.Add(k)
}

// packetRoom is what a statement needs of a packet beside the values.
const packetRoom = 4096

// refuseLong takes rows out of a block that the server could not send back, and
// so not prove.
func (s *sink) refuseLong(k *convert.Block, rows []int) {
	reason := fmt.Sprintf("longer than max_allowed_packet of %d bytes", s.longest+packetRoom)
	for _, i := range rows {
		s.long.Add(refusal.Refusal{Where: refusal.Where{Part: k.Part, Record: k.Numbers[i]}, Reason: reason})
	}
	k.Remove(rows)
}

// load loads a batch.
func (s *sink) load(b *database.Batch) error {
	s.batch, s.left = b, nil
	size, rows, refused := b.Size(), b.Len(), s.refused.Len()
	do := s.insertAll
	if s.bulk {
		do = s.loadBatch
	}
	err := do()
	if err != nil {
		return err
	}
	s.rows += int64(rows - s.refused.Len() + refused)
	if s.added != nil {
		err := s.added.note(s.ctx, b, s.left)
		if err != nil {
			return err
		}
	}
	return s.commitStage(size)
}

// commitEvery is how many bytes of a stage are one transaction: the server is
// slow to take back a large one when a load is killed.
const commitEvery = 64 << 20

// commitStage commits what was loaded into a stage, from time to time.
func (s *sink) commitStage(size int) error {
	s.pending += size
	if s.t.staged == "" || s.pending < commitEvery {
		return nil
	}
	s.pending = 0
	return s.t.fail("load", s.t.exec(s.ctx, "COMMIT AND CHAIN"))
}

// loadBatch loads the batch in one go. Where that does not add up, the rows
// whose keys are there already are removed from it; if it is not those, the rows
// are inserted.
func (s *sink) loadBatch() error {
	for _, mend := range []func() error{s.removeDuplicateKeys, s.insertAll} {
		whole, err := s.tryBulk()
		if whole || err != nil {
			return err
		}
		err = mend()
		if err != nil || s.batch.Len() == 0 {
			return err
		}
	}
	return nil
}

// tryBulk loads the batch within a savepoint, and takes it back unless every row
// of it went in without a warning, or is known to have been left out for its key.
func (s *sink) tryBulk() (whole bool, err error) {
	err = s.t.exec(s.ctx, "SAVEPOINT batch")
	if err != nil {
		return false, s.t.fail("load", err)
	}
	res, err := s.t.conn.ExecContext(s.ctx, bulkInto(s.reader, s.table, s.tab.Loaded(), nil))
	var refused *mysql.MySQLError
	if err != nil && (!errors.As(err, &refused) || conditions[refused.Number] != nil) { // a deadlock ends the transaction
		return false, s.t.fail("load", err)
	}
	if err == nil {
		rows, err := res.RowsAffected()
		if err == nil {
			whole, err = s.addsUp(s.batch.Len() - int(rows))
		}
		if err != nil {
			return false, s.t.fail("load", err)
		}
	}
	end := "ROLLBACK TO SAVEPOINT batch"
	if whole {
		end = "RELEASE SAVEPOINT batch"
	}
	return whole, s.t.fail("load", s.t.exec(s.ctx, end))
}

// bulkInto is the statement that loads what a reader of the driver gives of columns into a
// table, which has only some of them unless only is nil. The server makes bytes of their digits.
func bulkInto(reader, table string, columns []table.Column, only []string) string {
	var fields, set []string
	for i := range columns {
		field, variable := dialect.MySQL.Quote(columns[i].Name), fmt.Sprintf("@ambertray_%d", i)
		switch {
		case only != nil && !slices.Contains(only, columns[i].Name):
			field = variable
		case columns[i].Type.IsBytes():
			set = append(set, field+" = unhex("+variable+")")
			field = variable
		}
		fields = append(fields, field)
	}
	statement := "LOAD DATA LOCAL INFILE 'Reader::" + reader + "' INTO TABLE " + table +
		" CHARACTER SET utf8mb4 FIELDS TERMINATED BY '\\t' ESCAPED BY '\\\\' LINES TERMINATED BY '\\n' (" + strings.Join(fields, ", ") + ")"
	if set != nil {
		statement += " SET " + strings.Join(set, ", ")
	}
	return statement
}

// batchName is the name of the temporary table of a batch.
const batchName = "ambertray_batch"

// removeDuplicateKeys removes the rows of the batch whose key the table or an
// earlier row has: in one go, over a temporary table of the keys, because there may be many.
func (s *sink) removeDuplicateKeys() error {
	if len(s.key) == 0 {
		return nil
	}
	const op = "look for existing keys"
	for _, statement := range []string{
		stageOf(s.table, batchName, dialect.MySQL.List(s.key)), bulkInto(s.reader, batchName, s.tab.Loaded(), s.key),
	} {
		err := s.t.exec(s.ctx, statement)
		if err != nil {
			return s.t.fail(op, err)
		}
	}
	rows, err := s.t.conn.QueryContext(s.ctx, database.Repeated(dialect.MySQL, s.key, database.RowOfStage, batchName, s.table))
	if err != nil {
		return s.t.fail(op, err)
	}
	var twice []int
	for n := 0; rows.Next(); {
		err := rows.Scan(&n)
		if err != nil {
			return s.t.fail(op, err)
		}
		twice = append(twice, n)
	}
	err = errors.Join(rows.Err(), rows.Close())
	if err != nil {
		return s.t.fail(op, err)
	}
	s.batch.Refuse(twice, s.key, &s.refused)
	return s.t.fail(op, s.t.exec(s.ctx, "DROP TEMPORARY TABLE "+batchName))
}

// insertAll inserts the batch with statements that the server refuses whole
// where it does not take a row.
func (s *sink) insertAll() error {
	for from := 0; from < s.batch.Len(); from += s.perInsert {
		err := s.insert(from, min(from+s.perInsert, s.batch.Len()))
		if err != nil {
			return err
		}
	}
	return nil
}

const rowsPerInsert = 200

// insert inserts some rows, and finds by halving which one the server refuses.
func (s *sink) insert(from, to int) error {
	var statement []byte
	statement = append(append(append(statement, "INSERT INTO "...), s.table+" ("+s.columns+")"...), " VALUES "...)
	columns := s.tab.Loaded()
	for i := from; i < to; i++ {
		if i > from {
			statement = append(statement, ',')
		}
		statement = appendRow(statement, s.row(i), columns)
	}
	if len(statement) > s.longest && to-from > 1 {
		return s.halves(from, to)
	}
	err := s.t.exec(s.ctx, string(statement))
	var refused *mysql.MySQLError
	switch {
	case err == nil:
		return nil
	case !errors.As(err, &refused) || conditions[refused.Number] != nil:
		return s.t.fail("insert", err)
	case to-from == 1:
		s.left = append(s.left, s.batch.Record(from))
		s.refuse(s.batch.Record(from), refused)
		return nil
	}
	return s.halves(from, to)
}

// halves inserts rows with two statements.
func (s *sink) halves(from, to int) error {
	middle := (from + to) / 2
	err := s.insert(from, middle)
	if err != nil {
		return err
	}
	return s.insert(middle, to)
}

// repeated returns the unique index that has a row's values already, which the
// server names at the end of what it says.
func repeated(err *mysql.MySQLError) (index string, ok bool) {
	const duplicateEntry = 1062
	words := strings.Split(err.Message, "'")
	if err.Number != duplicateEntry || len(words) < 2 {
		return "", false
	}
	index = words[len(words)-2]
	return index[strings.LastIndexByte(index, '.')+1:], true // some name the table too
}

// Reopens implements database.ReopenedSink.
func (s *sink) Reopens() bool { return s.lanes == nil }

// refuse keeps a row that the server does not take.
func (s *sink) refuse(where refusal.Where, err *mysql.MySQLError) {
	why := reasonOf(err, s.tab)
	s.refused.Add(refusal.Refusal{Where: where, Columns: why.Columns, Reason: why.Reason})
}

// inUnique begins why a row is refused that repeats a unique index.
const inUnique = "duplicate in unique index "

// reasonOf returns why the server does not take a row.
func reasonOf(err *mysql.MySQLError, tab *table.Table) refusal.Reason {
	r := refusal.Reason{Reason: err.Message}
	index, same := repeated(err)
	foreign := foreignKey.FindStringSubmatch(err.Message)
	at := columnNamed.FindStringSubmatch(err.Message)
	switch {
	case same && index == "PRIMARY":
		r.Reason, r.Columns = database.SameKey, tab.Key
	case same:
		r.Reason = inUnique + index
	case foreign != nil && err.Number != isReferenced:
		r.Reason = database.NotInTable(foreign[3], foreign[1])
		r.Columns = database.AtFault(tab, strings.Split(strings.ReplaceAll(foreign[2], "`", ""), ", "))
	case at != nil:
		r.Columns = database.AtFault(tab, at[1:])
		if err.Number == incorrectString {
			r.Reason = "a character that the column's character set lacks"
		}
	}
	return r
}

// What the server says of a foreign key, and of a column.
var (
	foreignKey  = regexp.MustCompile("CONSTRAINT `([^`]+)` FOREIGN KEY \\(`(.+?)`\\) REFERENCES `([^`]+)`")
	columnNamed = regexp.MustCompile("(?i)column (?:`[^`]+`\\.`[^`]+`\\.)?['`]([^'`]+)['`]")
)

const (
	incorrectString = 1366
	isReferenced    = 1451 // rows refer to the one that would be changed
)

// Refused implements database.Sink.
func (s *sink) Refused() *refusal.List {
	s.refused.Append(&s.long)
	s.long = refusal.List{}
	return &s.refused
}

// row returns the text of row i, without its line end.
func (s *sink) row(i int) []byte { return bytes.TrimSuffix(s.batch.Rows(i, i+1), []byte{'\n'}) }

// appendRow writes a row of the bulk load as constants, all of them text but bytes, which
// the server converts in strict mode. Within quotes it reads the same escapes.
func appendRow(dst, row []byte, columns []table.Column) []byte {
	dst = append(dst, '(')
	for i, field := range fieldsOf(nil, row) {
		if i > 0 {
			dst = append(dst, ',')
		}
		switch {
		case string(field) == `\N`:
			dst = append(dst, "NULL"...)
		case columns[i].Type.IsBytes():
			dst = append(append(append(dst, "unhex('"...), field...), "')"...)
		default:
			dst = append(append(append(dst, '\''), bytes.ReplaceAll(field, []byte("'"), []byte("''"))...), '\'')
		}
	}
	return append(dst, ')')
}

// fieldsOf cuts a row of the bulk load into its fields.
func fieldsOf(fields [][]byte, row []byte) [][]byte {
	for {
		end := 0
		for end < len(row) && row[end] != '\t' {
			if row[end] == '\\' {
				end++
			}
			end++
		}
		fields = append(fields, row[:end])
		if end >= len(row) {
			return fields
		}
		row = row[end+1:]
	}
}

// Close implements database.Sink.
func (s *sink) Close(abort error) (int64, error) {
	defer mysql.DeregisterReaderHandler(s.reader)
	if s.lanes != nil {
		defer s.closeLanes()
	}
	if abort != nil {
		_ = s.feeder.Wait() // for the connection; why it failed is known
		return 0, nil
	}
	err := s.feeder.End()
	if err != nil {
		return 0, err
	}
	rows, err := s.commit()
	if err == nil {
		s.collations, err = s.collationRemarks()
	}
	return rows, err
}

// commit commits what is in a staging table, and returns how many rows were loaded.
func (s *sink) commit() (int64, error) {
	switch {
	case s.lanes != nil:
		return s.commitLanes()
	case s.t.staged != "":
		return s.rows, s.t.fail("load", s.t.exec(s.ctx, "COMMIT"))
	}
	return s.rows, nil
}
