package standin

import (
	"errors"
	"fmt"
	"io"
	"net"
	"strings"
	"sync"
	"time"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

// session is one connection of a client.
type session struct {
	server   *Server
	conn     *tds.Conn
	raw      net.Conn
	hello    *tds.Hello
	id       int
	db       *sqlite.Conn
	database string
	login    Login
	gone     sync.WaitGroup

	stop stopper // breaks the request off

	vars       map[string]variable
	types      []Type
	identities []*tableDef
	raised     error // by a function while SQLite ran a statement
	rowCount   int64
	bulk       *tsql.InsertBulk // that was announced
	depth      int              // of triggers
	trigger    *insertedRows    // that runs
	inCall     bool             // a procedure runs, so that statements end within it

	depthOfTran    int // @@TRANCOUNT
	tran           uint64
	writing        bool // SQLite has a transaction open
	savepoints     []string
	xactAbort      bool
	snapshot       bool
	lockTimeout    time.Duration
	identityInsert int64

	redefined bool             // the transaction has changed definitions
	filled    map[string]int64 // for each computed view, the version of the definitions that its rows show
}

// redefine notes that definitions have changed, or will have for other sessions when the
// transaction ends.
func (s *session) redefine() {
	s.redefined = true
	s.server.definitions.Add(1)
}

type variable struct {
	typ   Type
	value tds.Value
}

func newSession(s *Server, conn *tds.Conn, hello *tds.Hello, raw net.Conn) *session {
	x := &session{server: s, conn: conn, raw: raw, hello: hello, database: hello.Database, login: s.options.Logins[hello.User], lockTimeout: -1, filled: map[string]int64{}}
	x.gone.Add(1)
	x.stop.renew()
	conn.Attention = x.stop.stop
	return x
}

// stopper says that a request is to be broken off, from another goroutine.
type stopper struct {
	mu      sync.Mutex
	stopped bool
	done    chan struct{}
}

func (s *stopper) stop() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if !s.stopped {
		s.stopped = true
		close(s.done)
	}
}

// renew makes ready for the next request.
func (s *stopper) renew() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.stopped, s.done = false, make(chan struct{})
}

func (s *stopper) state() (stopped bool, done <-chan struct{}) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.stopped, s.done
}

// open opens the file of a database.
func (s *session) open(database string) (err error) {
	s.db, err = sqlite.OpenConn(s.server.path(database), sqlite.OpenReadWrite|sqlite.OpenCreate|sqlite.OpenWAL)
	if err != nil {
		return err
	}
	s.database = database
	s.db.SetBusyTimeout(5 * time.Second)
	for _, setting := range []string{"synchronous = OFF", "cache_size = -65536", "temp_store = MEMORY"} {
		err := s.query("PRAGMA "+setting, nil)
		if err != nil {
			return err
		}
	}
	err = s.prepareDatabase()
	if err != nil {
		return err
	}
	err = s.prepareTemp()
	if err != nil {
		return err
	}
	s.db.SetBusyTimeout(0)
	return s.extend()
}

// close ends the session; what is not committed is rolled back.
func (s *session) close() {
	_ = s.db.Close()
	s.server.leave(s)
	s.gone.Done()
}

// cut ends the connection, as a network that fails does.
func (s *session) cut() {
	s.stop.stop()
	_ = s.raw.Close()
}

func (s *session) cancelled() bool {
	stopped, _ := s.stop.state()
	return stopped
}

// serve answers requests until the client leaves.
func (s *session) serve() error {
	size := s.conn.SetSize(s.hello.PacketSize)
	s.conn.Welcome(s.database, size)
	s.conn.Done(0, 0)
	err := s.conn.End()
	if err != nil {
		return err
	}
	s.conn.Start()
	for {
		m, err := s.conn.Receive()
		if errors.Is(err, io.EOF) || errors.Is(err, net.ErrClosed) {
			return nil
		}
		if err != nil {
			return err
		}
		if m.Kind == tds.Attention && !s.cancelled() { // of a request that is answered
			continue
		}
		if m.Kind != tds.Attention {
			err := s.answer(m)
			if err != nil && !errors.Is(err, tds.ErrCancelled) {
				return err
			}
		}
		if s.cancelled() {
			s.stop.renew()
			s.conn.Done(tds.DoneAttention, 0)
		}
		err = s.conn.End()
		if err != nil {
			return err
		}
	}
}

// answer answers one message. An error ends the connection.
func (s *session) answer(m *tds.Message) (err error) {
	defer tds.Recover(&err)
	_, done := s.stop.state()
	s.db.SetInterrupt(done)
	r := tds.NewReader(m)
	switch m.Kind {
	case tds.Batch:
		if !s.sameTransaction(r.Headers()) {
			return nil
		}
		s.vars = map[string]variable{}
		s.batch(tds.UTF8(r.Rest()))
	case tds.RPC:
		if !s.sameTransaction(r.Headers()) {
			return nil
		}
		s.vars = map[string]variable{}
		name, number, params := r.Call()
		s.remoteCall(name, number, params)
	case tds.BulkLoad:
		return s.bulkLoad(r, m)
	case tds.Transaction:
		r.Headers()
		s.manage(r)
	default:
		return fmt.Errorf("a message of type %d", m.Kind)
	}
	_, err = io.Copy(io.Discard, m)
	if err != nil {
		return err
	}
	return nil
}

// sameTransaction checks that client and server mean the same transaction.
func (s *session) sameTransaction(id uint64) bool {
	if id == s.tran || id == 0 && s.depthOfTran == 0 {
		return true
	}
	s.fail(&tds.Error{Number: 3971, Severity: 16, Message: fmt.Sprintf("The server failed to resume the transaction. Desc:%x.", id)})
	s.conn.Done(tds.DoneError, 0)
	return false
}

// fail sends an error.
func (s *session) fail(err error) {
	e := s.errorOf(err)
	s.server.log("session %d: error %d: %s", s.id, e.Number, e.Message)
	s.conn.Fail(e, s.server.options.Name)
}

// errorOf returns an error as the server knows it.
func (s *session) errorOf(err error) *tds.Error {
	var e *tds.Error
	var syntax *tsql.SyntaxError
	switch {
	case errors.As(err, &e):
		return e
	case errors.As(err, &syntax):
		return &tds.Error{Number: 102, Severity: 15, Message: syntax.Error(), Line: syntax.Line}
	case sqlite.ErrCode(err).ToPrimary() == sqlite.ResultBusy:
		return errLockTimeout
	}
	return &tds.Error{Number: 50000, Severity: 16, Message: "The stand-in has failed: " + err.Error()}
}

var errLockTimeout = &tds.Error{Number: 1222, Severity: 16, State: 51, Message: "Lock request time out period exceeded."}

// status is what a DONE says beside its count.
func (s *session) status(more bool) (n uint16) {
	if more {
		n |= tds.DoneMore
	}
	return n
}

// done ends a statement.
func (s *session) done(status uint16, rows int64) {
	if s.inCall {
		s.conn.DoneInProc(status|tds.DoneMore, rows)
		return
	}
	s.conn.Done(status, rows)
}

// batch runs the statements of a text.
func (s *session) batch(text string) {
	s.server.log("session %d: %s", s.id, text)
	list, err := tsql.Parse(text)
	if err != nil {
		s.fail(err)
		s.done(tds.DoneError, 0)
		return
	}
	if len(list) == 0 {
		s.done(0, 0)
	}
	for i, statement := range list {
		more := i < len(list)-1
		ended, err := s.run(statement, more)
		if s.cancelled() {
			return
		}
		if err != nil {
			goesOn := s.failed(err)
			s.done(s.status(more && goesOn)|tds.DoneError, 0)
			if !goesOn {
				return
			}
			continue
		}
		if ended { // a statement that has sent its own end
			continue
		}
		s.done(s.status(more), 0)
	}
}

// statementErrors are those after which a batch continues.
var statementErrors = map[int]bool{2627: true, 2601: true, 547: true, 515: true, 2628: true, 8152: true, 8115: true, 1505: true, 1750: true, 220: true, 544: true}

// failed reports an error and deals with the transaction. It returns whether the batch
// goes on.
func (s *session) failed(err error) bool {
	e := s.errorOf(err)
	s.fail(e)
	goesOn := statementErrors[e.Number]
	if e.Number == 1505 {
		s.conn.Fail(&tds.Error{Number: 1750, Severity: 16, Message: "Could not create constraint or index. See previous errors."}, s.server.options.Name)
	}
	if goesOn {
		s.conn.Fail(&tds.Error{Number: 3621, Severity: 0, Message: "The statement has been terminated."}, s.server.options.Name)
	}
	if (e.Aborts || s.xactAbort && e.Severity > 10 && e.Number != 102) && s.depthOfTran > 0 {
		s.rollback()
		return false
	}
	return goesOn
}

// manage answers a request about a transaction.
func (s *session) manage(r *tds.Reader) {
	var err error
	kind := r.Little(2)
	switch kind {
	case 5:
		s.snapshot = r.Byte() == 5
		s.begin()
	case 7:
		err = s.commit()
	case 8:
		name := tds.UTF8(r.Bytes(int(r.Byte())))
		err = s.rollbackTo(name)
	case 9:
		err = s.savepoint(tds.UTF8(r.Bytes(int(r.Byte()))))
	default:
		err = invalid(50001, "The stand-in does not know the request %d about a transaction.", kind)
	}
	if err != nil {
		s.fail(err)
		s.conn.Done(tds.DoneError, 0)
		return
	}
	s.conn.Done(0, 0)
}

// may checks the rights of the login to rows.
func (s *session) may(right string, t *tableDef) error {
	if t.Temp || right == "SELECT" || !s.login.ReadOnly {
		return nil
	}
	return &tds.Error{Number: 229, Severity: 14, State: 5, Message: fmt.Sprintf("The %s permission was denied on the object '%s', database '%s', schema '%s'.", right, t.Name, s.database, t.Schema)}
}

func (s *session) mayCreate(what string) error {
	if s.login.ReadOnly || s.login.NoCreate {
		return &tds.Error{Number: 262, Severity: 14, Message: fmt.Sprintf("%s permission denied in database '%s'.", what, s.database)}
	}
	return nil
}

// mayAlter checks the right to change a definition.
func (s *session) mayAlter(t *tableDef) error {
	if t.Temp || !s.login.ReadOnly && !s.login.NoCreate {
		return nil
	}
	return &tds.Error{Number: 1088, Severity: 16, State: 13, Message: fmt.Sprintf("Cannot find the object \"%s\" because it does not exist or you do not have permissions.", t.full())}
}

type pair struct {
	id   int64
	name string
}

func (s *session) pairs(sql string) (list []pair, err error) {
	err = s.query(sql, func(st *sqlite.Stmt) error {
		list = append(list, pair{st.ColumnInt64(0), st.ColumnText(1)})
		return nil
	})
	return list, err
}

// nextIdentity returns the next number of a table's identity column.
func (s *session) nextIdentity(t *tableDef) (int64, error) {
	return s.moveIdentity(t, func(last int64) int64 { return last + 1 })
}

// identityKey names the counter of a table's identity column.
func (s *session) identityKey(t *tableDef) string {
	if t.Temp {
		return fmt.Sprintf("%d.%s", s.id, t.sqlName())
	}
	return strings.ToLower(s.database) + "." + t.sqlName()
}

// forgetIdentity starts the count again, of a table that is new.
func (s *session) forgetIdentity(t *tableDef) {
	s.server.mu.Lock()
	defer s.server.mu.Unlock()
	delete(s.server.numbers, s.identityKey(t))
}

// moveIdentity moves the counter of a table's identity column.
func (s *session) moveIdentity(t *tableDef, next func(last int64) int64) (int64, error) {
	key := s.identityKey(t)
	s.server.mu.Lock()
	defer s.server.mu.Unlock()
	last, known := s.server.numbers[key]
	if !known {
		for i := range t.Columns {
			c := &t.Columns[i]
			if c.Identity {
				n, err := s.number(fmt.Sprintf("SELECT coalesce(max(%s), %d) FROM %s", c.sqlName(), c.Seed-1, t.sqlName()))
				if err != nil {
					return 0, err
				}
				last = n
			}
		}
	}
	s.server.numbers[key] = next(last)
	return s.server.numbers[key], nil
}
