package databasetest

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Server is a server that test.sh has started, and that a test may kill.
type Server struct {
	URL string
	dir string // its data

	killed bool
}

// NewServer returns the server that test.sh calls by a name.
func NewServer(t testing.TB, name string) *Server {
	s := &Server{URL: os.Getenv("AMBERTRAY_" + name), dir: os.Getenv("AMBERTRAY_" + name + "_DATA")}
	require.NotEmpty(t, s.URL, "start the tests with ./test.sh, which starts the servers: %s", name)
	return s
}

// Port returns its port.
func (s *Server) Port() string {
	_, rest, _ := strings.Cut(s.URL, "127.0.0.1:")
	port, _, _ := strings.Cut(rest, "/")
	return port
}

// Kill kills it at once, with the processes that serve its connections.
func (s *Server) Kill() error {
	text, err := os.ReadFile(filepath.Join(s.dir, "postmaster.pid"))
	if os.IsNotExist(err) {
		text, err = os.ReadFile(filepath.Join(s.dir, "pid"))
	}
	if err != nil {
		return err
	}
	first, _, _ := strings.Cut(string(text), "\n")
	pid, err := strconv.Atoi(strings.TrimSpace(first))
	if err != nil {
		return fmt.Errorf("the process of %s: %w", s.dir, err)
	}
	s.killed = true
	children, err := os.ReadFile(fmt.Sprintf("/proc/%d/task/%d/children", pid, pid))
	if err != nil {
		return err
	}
	err = syscall.Kill(pid, syscall.SIGKILL)
	for _, word := range strings.Fields(string(children)) {
		child, _ := strconv.Atoi(word)
		_ = syscall.Kill(child, syscall.SIGKILL) // which may have ended by itself
	}
	return err
}

// Restart starts it if it was killed; its children may need a moment.
func (s *Server) Restart(t testing.TB) {
	if !s.killed {
		return
	}
	var out []byte
	var err error
	for range 50 {
		out, err = exec.Command("bash", s.dir+".start").CombinedOutput()
		if err == nil {
			s.killed = false
			return
		}
		time.Sleep(200 * time.Millisecond)
	}
	require.NoError(t, err, string(out))
}
