package main_test

import (
	"bufio"
	"cmp"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ambertray/internal/connect"
	"ambertray/internal/database"
	"ambertray/internal/databasetest"
	"ambertray/internal/ledger"
)

// faultRecords is how many records the file has that is loaded, enough for
// several batches of every target; now and then one repeats a key.
const (
	faultRecords = 40_000
	faultEvery   = 4000
	faultRepeats = faultRecords / faultEvery
)

// faultServer is a target that may be killed.
type faultServer struct {
	*databasetest.Server // nil for a file
	url                  string
	faults               []string
	lanes                bool   // there may be several connections
	leftOver             string // a query for the staging tables of a table
}

func faultServers(t *testing.T) map[string]*faultServer {
	network := []string{"kill", "interrupt", "cut", "server"}
	servers := map[string]*faultServer{"sqlite": {url: "museum.db", faults: []string{"kill", "interrupt", "full disk"}}}
	for name, variable := range map[string]string{"postgres": "FAULT_POSTGRES", "mysql": "FAULT_MYSQL", "sqlserver": "FAULT_SQLSERVER"} {
		server := databasetest.NewServer(t, variable)
		servers[name] = &faultServer{server, server.URL, network, name != "sqlserver", leftOvers[name]}
	}
	return servers
}

var leftOvers = map[string]string{
	"postgres": `SELECT relname FROM pg_class WHERE relname LIKE 'ambertray\_stage%%' AND obj_description(oid, 'pg_class') LIKE '%%.%s'`,
	"mysql":    `SELECT table_name FROM information_schema.tables WHERE table_name LIKE 'ambertray\\_stage%%' AND table_comment LIKE '%%.%s'`,
}

// TestFaults interrupts loads in every way and at random moments. Afterwards the
// table has all rows or those that the ledger says, and the same command, given
// again, completes the load with nothing twice.
func TestFaults(t *testing.T) {
	rounds, err := strconv.Atoi(cmp.Or(os.Getenv("AMBERTRAY_TEST_FAULT_ROUNDS"), "4"))
	require.NoError(t, err)
	for name, server := range faultServers(t) {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			interrupt(t, rounds, &faulty{desk: newDesk(t), server: server, loaded: faultRecords - faultRepeats, exit: 3})
			if server.lanes {
				interrupt(t, rounds, &faulty{desk: newDesk(t), server: server, loaded: faultRecords, lanes: true})
			}
		})
	}
}

func interrupt(t *testing.T, rounds int, f *faulty) {
	f.write("finds.csv", f.file())
	f.measure()
	survived := 0
	for round := range rounds {
		for _, fault := range f.server.faults {
			if f.suffer(round, fault) {
				survived++
			}
		}
	}
	t.Logf("survived %d faults of %d", survived, rounds*len(f.server.faults))
	require.Greater(t, survived, rounds, "most moments are in the middle of a load")
}

const faultPlan = `tray: 1
source: {files: [%s], delimiter: ","}
table: {name: %s, key: ["no"]}
columns:
  - {from: "no", name: "no", type: integer, nullable: false}
  - {from: name, name: name, type: varchar(120)}
  - {from: found, name: found, type: date}
`

// file returns records of which some repeat a key, unless they are for lanes, which such a
// key would end.
func (f *faulty) file() string {
	var text strings.Builder
	filler := strings.Repeat(" of the bay", 8) // few records are quicker to load than many short ones
	text.WriteString("no,name,found\n")
	for i := range faultRecords {
		no := i
		if i%faultEvery == faultEvery-1 && !f.lanes {
			no = i - 5
		}
		fmt.Fprintf(&text, "%d,ant number %d%s,2026-01-%02d\n", no, i, filler, i%28+1)
	}
	return text.String()
}

// faulty is one target and the program that loads into it.
type faulty struct {
	*desk
	server *faultServer
	lanes  bool
	loaded int64         // rows of the file that can be loaded
	exit   int           // status of a load of the file
	usual  time.Duration // that a load takes
	table  string
	args   []string
}

// begin makes ready for a load of its own table: a new one, one that is added to, in
// parts or not; in lanes a new one or one that takes the place of another.
func (f *faulty) begin(round int) (rows int64) {
	f.table = uniqueTable(f)
	tray := f.table + ".tray"
	f.write(tray+"/tray.yaml", fmt.Sprintf(faultPlan, "finds.csv", f.table))
	f.args = []string{"load", tray}
	if f.lanes {
		f.args = append(f.args, "--lanes", "3")
	} else if round%4 > 1 {
		f.args = append(f.args, "--commit-every", "8000")
	}
	if round%2 == 0 {
		return 0
	}
	f.args = append(f.args, "--existing", "append")
	if f.lanes {
		f.args = append(f.args, "--existing", "rebuild", "--yes")
	}
	f.write("first.csv", "no,name,found\n-1,the first,2026-01-01\n")
	f.write("first.tray/tray.yaml", fmt.Sprintf(faultPlan, "first.csv", f.table))
	f.run(0, "load", "first.tray", "--to", f.server.url)
	return 1
}

func (f *faulty) measure() {
	f.begin(0)
	start := time.Now()
	f.run(f.exit, append(f.args, "--to", f.server.url)...)
	f.usual = time.Since(start)
}

// suffer begins a load, has the fault happen, examines what is left and loads
// again. It reports whether the fault came in time.
func (f *faulty) suffer(round int, fault string) bool {
	f.Helper()
	before := f.begin(round)
	to, wire := f.server.url, (*proxy)(nil)
	if fault == "cut" {
		wire = newProxy(f, f.server.url)
		to = wire.url
	}
	args := append(f.args, "--to", to)
	c := f.command(args...)
	if fault == "full disk" { // which a limit to the size of files stands for
		c = exec.Command("bash", "-c", fmt.Sprintf("ulimit -f %d; exec \"$0\" \"$@\"", 200+rand.IntN(6000)))
		c.Args = append(append(c.Args, program), args...)
		c.Dir = f.dir
	}
	require.NoError(f, c.Start())
	if fault != "full disk" {
		time.Sleep(time.Duration(rand.Float64() * float64(f.usual)))
	}
	switch fault {
	case "kill":
		_ = c.Process.Kill()
	case "interrupt":
		_ = c.Process.Signal(os.Interrupt)
	case "cut":
		wire.cut()
	case "server":
		require.NoError(f, f.server.Kill())
	}
	_ = c.Wait()
	if fault == "server" {
		f.server.Restart(f)
	}
	failed := c.ProcessState.ExitCode() != f.exit
	f.look(fault, before)
	f.complete(fault, before)
	return failed
}

// look wants all rows in the table, or none but those before, or those that the
// ledger says.
func (f *faulty) look(fault string, before int64) {
	f.Helper()
	rows, loaded := f.count()
	if rows < 0 {
		require.Zero(f, before, fault)
		return
	}
	if f.lanes && loaded > 0 {
		before = 0
	}
	require.Equal(f, before+loaded, rows, "%s: what the ledger says is in the table", fault)
}

// complete loads again.
func (f *faulty) complete(fault string, before int64) {
	f.Helper()
	c := f.command(append(f.args, "--to", f.server.url)...)
	out, _ := c.CombinedOutput()
	if c.ProcessState.ExitCode() == 5 {
		require.Contains(f, string(out), "was already loaded into "+f.table, fault)
	} else {
		require.Equal(f, f.exit, c.ProcessState.ExitCode(), "%s: %s", fault, out)
	}
	if f.lanes {
		before = 0
	}
	rows, loaded := f.count()
	require.Equal(f, f.loaded, loaded, fault)
	require.Equal(f, before+f.loaded, rows, fault)
	require.Equal(f, fmt.Sprint(rows), f.ask("SELECT count(DISTINCT no) FROM "+f.table), fault)
	require.Empty(f, f.tables(), fault)
}

// count returns the rows of the table, -1 without a table, and how many rows of
// the file the ledger says are in it.
func (f *faulty) count() (rows, loaded int64) {
	f.Helper()
	to := f.open()
	defer to.Close()
	exists, err := to.Exists(context.Background(), f.table)
	require.NoError(f, err)
	if !exists {
		return -1, 0
	}
	counted, err := to.Query(context.Background(), "SELECT count(*) FROM "+f.table)
	require.NoError(f, err)
	rows, err = strconv.ParseInt(counted[0][0], 10, 64)
	require.NoError(f, err)
	identity, err := database.Identity(context.Background(), to, f.table)
	require.NoError(f, err)
	entries, err := ledger.Read(context.Background(), to, identity)
	require.NoError(f, err)
	for _, e := range entries {
		switch {
		case e.Source != "finds.csv":
		case f.lanes: // each took the place of the one before
			loaded = e.Loaded
		default:
			loaded += e.Loaded
		}
	}
	return rows, loaded
}

func (f *faulty) open() database.Target {
	f.Helper()
	address := f.server.url
	if address == "museum.db" {
		address = filepath.Join(f.dir, address)
	}
	to, err := connect.Open(context.Background(), address, connect.Options{Create: true})
	require.NoError(f, err)
	return to
}

func (f *faulty) ask(query string) string {
	f.Helper()
	to := f.open()
	defer to.Close()
	rows, err := to.Query(context.Background(), query)
	require.NoError(f, err)
	return rows[0][0]
}

// tables returns the staging tables that are left of the table.
func (f *faulty) tables() (names []string) {
	if f.server.leftOver == "" {
		return nil
	}
	to := f.open()
	defer to.Close()
	rows, err := to.Query(context.Background(), fmt.Sprintf(f.server.leftOver, f.table))
	require.NoError(f, err)
	for _, row := range rows {
		names = append(names, row[0])
	}
	return names
}

// proxy stands between the program and a server, and can be cut.
type proxy struct {
	url      string
	listener net.Listener
	mutex    sync.Mutex
	open     []net.Conn
}

func newProxy(t testing.TB, address string) *proxy {
	u, err := url.Parse(address)
	require.NoError(t, err)
	p := &proxy{}
	p.listener, err = net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	server := u.Host
	u.Host = p.listener.Addr().String()
	p.url = u.String()
	go func() {
		for {
			in, err := p.listener.Accept()
			if err != nil {
				return
			}
			out, err := net.Dial("tcp", server)
			if err != nil {
				in.Close()
				continue
			}
			p.mutex.Lock()
			p.open = append(p.open, in, out)
			p.mutex.Unlock()
			go copyAndClose(in, out)
			go copyAndClose(out, in)
		}
	}()
	return p
}

func copyAndClose(to, from net.Conn) {
	_, _ = io.Copy(to, bufio.NewReader(from))
	to.Close()
}

// cut ends every connection, and lets none be made.
func (p *proxy) cut() {
	p.listener.Close()
	p.mutex.Lock()
	defer p.mutex.Unlock()
	for _, c := range p.open {
		c.Close()
	}
}

// TestInterruptedStatement interrupts loads while the server is at work on a statement that
// takes minutes. When the program has ended, so has the session, and its locks are free.
func TestInterruptedStatement(t *testing.T) {
	all := targets(t)
	for server, slow := range map[string][]string{
		"postgres": {"CREATE FUNCTION nap_of_TABLE() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN PERFORM pg_sleep(300); RETURN NEW; END'",
			"CREATE TABLE TABLE (no smallint PRIMARY KEY, name varchar(20))", "CREATE TRIGGER nap BEFORE INSERT ON TABLE FOR EACH ROW EXECUTE FUNCTION nap_of_TABLE()"},
		"mysql": {"CREATE TABLE TABLE (no smallint PRIMARY KEY, name varchar(20))", "CREATE TRIGGER nap_of_TABLE BEFORE INSERT ON TABLE FOR EACH ROW SET NEW.name = concat(NEW.name, sleep(300))"},
	} {
		for _, existing := range []string{"append", "merge"} {
			t.Run(server+" "+existing, func(t *testing.T) {
				t.Parallel()
				ctx, d, name := context.Background(), newDesk(t), uniqueTable(t)
				to, err := connect.Open(ctx, all[server], connect.Options{})
				require.NoError(t, err)
				defer to.Close()
				for _, s := range slow {
					_, err := to.Exec(ctx, strings.ReplaceAll(strings.ReplaceAll(s, "TABLE", name), "CREATE "+name, "CREATE TABLE"))
					require.NoError(t, err)
				}
				d.write("finds.csv", "no,name\n1,ant\n2,bee\n")
				d.run(0, "draft", "finds.csv", "--table", name)
				c := d.command("load", "finds.tray", "--to", all[server], "--existing", existing, "--yes")
				require.NoError(t, c.Start())
				running := func() bool {
					query := "SELECT count(*) FROM information_schema.processlist WHERE info LIKE '%" + name + "%' AND info NOT LIKE '%processlist%'"
					if server == "postgres" {
						query = "SELECT count(*) FROM pg_stat_activity WHERE query LIKE '%" + name + "%' AND state <> 'idle' AND pid <> pg_backend_pid()"
					}
					rows, err := to.Query(ctx, query)
					require.NoError(t, err)
					return rows[0][0] != "0"
				}
				busy := 0
				require.Eventually(t, func() bool { // it is in the nap once it runs for a while
					busy++
					if !running() {
						busy = 0
					}
					return busy > 20
				}, 20*time.Second, 20*time.Millisecond)
				require.NoError(t, c.Process.Signal(os.Interrupt))
				require.Error(t, c.Wait())
				require.False(t, running())
				_, err = to.Exec(ctx, "DROP TABLE "+name)
				require.NoError(t, err)
			})
		}
	}
}
