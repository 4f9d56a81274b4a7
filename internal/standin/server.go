// Package standin is a stand-in for SQL Server, for tests where no such server can run:
// a listener that speaks its protocol, reads the Transact-SQL that Amber Tray sends, and
// keeps tables in SQLite files. It refuses every statement that it does not know. It is
// no more than that: how a real server locks, plans, logs and sorts is not in it.
package standin

import (
	"crypto/rand"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"ambertray/internal/standin/tds"
)

// Login is who may log in, and what for.
type Login struct {
	Password string
	ReadOnly bool // it may only read
	NoCreate bool // it may read and write rows, but create no tables
}

// Options are how a server is set up.
type Options struct {
	Dir           string           // of its files; each NAME.db is a database
	Logins        map[string]Login // by name
	Name          string           // that it calls itself
	Version       string           // that it says it is
	TLS           *tls.Config      // nil for a server without encryption
	RequireTLS    bool
	Collation     string
	Compatibility int
	Recovery      string
	ReadOnly      bool // its databases
	MaxLog        int  // the pages that its logs say they may grow to; 0 is any number
	Log           func(text string)
}

// Server is a stand-in that listens.
type Server struct {
	options  Options
	listener net.Listener
	done     sync.WaitGroup

	mu       sync.Mutex
	sessions map[int]*session
	nextID   int
	locks    map[string]*appLock
	numbers  map[string]int64 // the last of each identity column
	faults   []*fault
	closed   bool

	definitions atomic.Int64 // how often definitions have changed
}

// appLock is what sp_getapplock has given.
type appLock struct {
	owner *session
	count int
	tran  bool // it ends with the transaction
}

// DefaultCollation is that of an installation in the United States.
const DefaultCollation = "SQL_Latin1_General_CP1_CI_AS"

// Start starts a server that listens on an address such as 127.0.0.1:0.
func Start(address string, o Options) (*Server, error) {
	if o.Collation == "" {
		o.Collation = DefaultCollation
	}
	if o.Compatibility == 0 {
		o.Compatibility = 160
	}
	if o.Recovery == "" {
		o.Recovery = "FULL"
	}
	if o.Name == "" {
		o.Name = "STANDIN"
	}
	if o.MaxLog == 0 {
		o.MaxLog = -1
	}
	if o.Version == "" {
		o.Version = "16.0.1000.6"
	}
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return nil, err
	}
	s := &Server{options: o, listener: listener, sessions: map[int]*session{}, nextID: 51, locks: map[string]*appLock{}, numbers: map[string]int64{}}
	s.done.Go(s.listen)
	return s, nil
}

// Address is where it listens.
func (s *Server) Address() string { return s.listener.Addr().String() }

// Port is the port of its address.
func (s *Server) Port() int { return s.listener.Addr().(*net.TCPAddr).Port }

// Close stops it and ends its sessions.
func (s *Server) Close() error {
	s.mu.Lock()
	s.closed = true
	for _, x := range s.sessions {
		x.cut()
	}
	s.mu.Unlock()
	err := s.listener.Close()
	s.done.Wait()
	return err
}

func (s *Server) listen() {
	for {
		c, err := s.listener.Accept()
		if err != nil {
			return
		}
		s.done.Go(func() {
			err := s.serve(c)
			if err != nil {
				s.log("%s: %v", c.RemoteAddr(), err)
			}
			_ = c.Close()
		})
	}
}

func (s *Server) log(format string, args ...any) {
	if s.options.Log != nil {
		s.options.Log(fmt.Sprintf(format, args...))
	}
}

// serve serves one connection until it ends.
func (s *Server) serve(raw net.Conn) error {
	_ = raw.SetDeadline(time.Now().Add(30 * time.Second))
	conn, hello, err := tds.Accept(raw, s.options.TLS, s.options.RequireTLS)
	if err != nil {
		return err
	}
	_ = raw.SetDeadline(time.Time{})
	refused := s.admit(hello)
	if refused != nil {
		conn.Fail(refused, s.options.Name)
		conn.Done(tds.DoneError, 0)
		return conn.End()
	}
	x := newSession(s, conn, hello, raw)
	err = x.open(hello.Database)
	if err != nil {
		return err
	}
	defer x.close()
	s.mu.Lock()
	if s.closed {
		s.mu.Unlock()
		return nil
	}
	x.id = s.nextID
	s.nextID++
	s.sessions[x.id] = x
	s.mu.Unlock()
	return x.serve()
}

// admit checks who logs in, and to which database.
func (s *Server) admit(h *tds.Hello) *tds.Error {
	login, known := s.options.Logins[h.User]
	if !known || login.Password != h.Password {
		return &tds.Error{Number: 18456, Severity: 14, Message: fmt.Sprintf("Login failed for user '%s'.", h.User)}
	}
	if h.Database == "" {
		h.Database = "master"
	}
	if !s.exists(h.Database) {
		return &tds.Error{Number: 4060, Severity: 11, Message: fmt.Sprintf("Cannot open database \"%s\" requested by the login. The login failed.", h.Database)}
	}
	return nil
}

func (s *Server) path(database string) string {
	return filepath.Join(s.options.Dir, strings.ToLower(database)+".db")
}

func (s *Server) exists(database string) bool {
	if strings.EqualFold(database, "master") {
		return true
	}
	_, err := os.Stat(s.path(database))
	return err == nil
}

// databases lists those that there are.
func (s *Server) databases() (names []string, err error) {
	files, err := filepath.Glob(filepath.Join(s.options.Dir, "*.db"))
	for _, f := range files {
		names = append(names, strings.TrimSuffix(filepath.Base(f), ".db"))
	}
	if !slices.Contains(names, "master") {
		names = append(names, "master")
	}
	return names, err
}

// CreateDatabase makes an empty database.
func (s *Server) CreateDatabase(name string) error {
	if s.exists(name) {
		return &tds.Error{Number: 1801, Severity: 16, State: 3, Message: fmt.Sprintf("Database '%s' already exists. Choose a different database name.", name)}
	}
	return os.WriteFile(s.path(name), nil, 0o600)
}

func (s *Server) dropDatabase(name string) error {
	if !s.exists(name) {
		return invalid(3701, "Cannot drop the database '%s', because it does not exist or you do not have permission.", name)
	}
	for _, x := range s.all() {
		if strings.EqualFold(x.database, name) {
			return invalid(3702, "Cannot drop database \"%s\" because it is currently in use.", name)
		}
	}
	return errors.Join(os.Remove(s.path(name)), removeAny(s.path(name)+"-wal"), removeAny(s.path(name)+"-shm"))
}

func removeAny(name string) error {
	err := os.Remove(name)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	return err
}

// all lists the sessions.
func (s *Server) all() (list []*session) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, x := range s.sessions {
		list = append(list, x)
	}
	return list
}

// kill ends a session.
func (s *Server) kill(id int) error {
	s.mu.Lock()
	x := s.sessions[id]
	s.mu.Unlock()
	if x == nil {
		return invalid(6106, "Process ID %d is not an active process ID.", id)
	}
	x.cut()
	x.gone.Wait()
	return nil
}

// leave takes a session off the list, with its locks.
func (s *Server) leave(x *session) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.sessions, x.id)
	for name, l := range s.locks {
		if l.owner == x {
			delete(s.locks, name)
		}
	}
}

// lock gives a session a lock; it returns false when another one keeps it too long.
func (s *Server) lock(x *session, name string, tran bool, patience time.Duration) bool {
	until := time.Now().Add(patience)
	for {
		s.mu.Lock()
		l := s.locks[name]
		if l == nil || l.owner == x {
			if l == nil {
				l = &appLock{owner: x, tran: tran}
				s.locks[name] = l
			}
			l.count++
			s.mu.Unlock()
			return true
		}
		s.mu.Unlock()
		if patience >= 0 && time.Now().After(until) || x.cancelled() {
			return false
		}
		time.Sleep(2 * time.Millisecond)
	}
}

func (s *Server) unlock(x *session, name string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	l := s.locks[name]
	if l == nil || l.owner != x {
		return false
	}
	l.count--
	if l.count == 0 {
		delete(s.locks, name)
	}
	return true
}

// unlockTran ends the locks that end with a transaction.
func (s *Server) unlockTran(x *session) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for name, l := range s.locks {
		if l.owner == x && l.tran {
			delete(s.locks, name)
		}
	}
}

// fault is a failure that was asked for: after a number of statements that write, one
// of them fails so.
type fault struct {
	what  string // cut, deadlock, full or slow
	after int
}

// nextFault returns the fault that is due, or "".
func (s *Server) nextFault() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	due := ""
	s.faults = slices.DeleteFunc(s.faults, func(f *fault) bool {
		f.after--
		if f.after < 0 && due == "" {
			due = f.what
			return f.what != "slow"
		}
		return false
	})
	return due
}

// Fail makes the statement that writes after a number of others fail: cut ends its
// connection, deadlock makes it the victim, full fills the log. slow makes all that
// follow wait a little.
func (s *Server) Fail(what string, after int) error {
	if !slices.Contains([]string{"cut", "deadlock", "full", "slow", "none"}, what) {
		return invalid(50001, "The stand-in does not know the failure %s: say cut, deadlock, full, slow or none.", what)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if what == "none" {
		s.faults = nil
		return nil
	}
	s.faults = append(s.faults, &fault{what, after})
	return nil
}

func newGUID() string {
	var b [16]byte
	_, _ = rand.Read(b[:])
	return strings.ToUpper(fmt.Sprintf("%x-%x-%x-%x-%x", b[:4], b[4:6], b[6:8], b[8:10], b[10:]))
}
