// Command bench measures Amber Tray against floors: the least that a program
// has to do for the same result. Program and floor run in turn, each as a
// process of its own, and the medians of their times are compared.
//
// Start it with ./bench/run.sh, which also starts a private server.
package main

import (
	"bytes"
	"cmp"
	"context"
	"flag"
	"fmt"
	"log"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"ambertray/internal/connect"
	"ambertray/internal/database"
)

type bench struct {
	self, program, dir, data, postgres, mysql, sqlserver string
	against, c                                           string // another build, and the floor in C
	runs, records                                        int
	most                                                 map[string]string // the greatest key of the table with all records, by target
}

// contest is one line of the result: a command of ours and its floor. Where
// there are several floors, the slowest counts.
type contest struct {
	name   string
	bound  float64 // of the ratio
	ours   []string
	floors [][]string
	reset  func() error
	setUp  []string // a command that is run before the first
}

// run is what one process took.
type run struct {
	wall, cpu time.Duration
	peak      int64 // kB
}

// commands are what else the program does.
var commands = map[string]func(args []string) error{
	"floor":   func(args []string) error { return runFloor(args[0], args[1:]) },
	"keys":    measureKeys,
	"cluster": measureClusters,
	"profile": func(args []string) error { return profile(args[0], args[1:]) },
	"make":    func(args []string) error { return makeData(args[0], args[1]) },
}

func main() {
	if len(os.Args) > 1 && commands[os.Args[1]] != nil {
		err := commands[os.Args[1]](os.Args[2:])
		if err != nil {
			log.Fatal(err)
		}
		return
	}
	b := &bench{most: map[string]string{}, postgres: os.Getenv("AMBERTRAY_TEST_POSTGRES"), mysql: os.Getenv("AMBERTRAY_TEST_MYSQL"), sqlserver: os.Getenv("AMBERTRAY_TEST_SQLSERVER")}
	flag.StringVar(&b.program, "program", "ambertray", "the program to measure")
	flag.StringVar(&b.dir, "dir", os.TempDir(), "where the data goes")
	flag.IntVar(&b.runs, "runs", 5, "how often each is run")
	flag.IntVar(&b.records, "records", 2_000_000, "records in the file")
	flag.StringVar(&b.against, "against", "", "another build of the program, to take the place of every floor")
	flag.StringVar(&b.c, "c", "", "the floor of SQLite in C")
	only := flag.String("only", "", "run only contests whose name has this in it")
	flag.Parse()
	err := b.measure(*only)
	if err != nil {
		log.Fatal(err)
	}
}

func (b *bench) measure(only string) error {
	b.data = filepath.Join(b.dir, "specimens.csv")
	var err error
	b.self, err = os.Executable()
	if err != nil {
		return err
	}
	// In a process of its own: the peak memory of what is measured counts from ours.
	_, err = b.execute([]string{b.self, "make", b.dir, strconv.Itoa(b.records)})
	if err != nil {
		return err
	}
	info, err := os.Stat(b.data)
	if err != nil {
		return err
	}
	tray := filepath.Join(b.dir, "specimens.tray")
	out, err := exec.Command(b.program, "draft", b.data, "--tray", tray).CombinedOutput()
	if err != nil {
		return fmt.Errorf("draft: %w: %s", err, out)
	}
	keyed := exec.Command(b.program, "draft", b.data, "--tray", b.keyedTray(), "--change", "key="+textKey)
	out, err = keyed.CombinedOutput()
	if err != nil {
		return fmt.Errorf("draft: %w: %s", err, out)
	}
	sheetTray, linesTray := filepath.Join(b.dir, "sheet.tray"), filepath.Join(b.dir, "lines.tray")
	for dir, from := range map[string]string{sheetTray: b.data + ".xlsx", linesTray: b.data + ".part.csv", b.fewTray(): b.few()} {
		out, err := exec.Command(b.program, "draft", from, "--tray", dir, "--table", "specimens").CombinedOutput()
		if err != nil {
			return fmt.Errorf("draft: %w: %s", err, out)
		}
	}
	fmt.Printf("%d records, %d MB, %d runs each, medians\n\n", b.records, info.Size()/1e6, b.runs)
	fmt.Printf("%-28s %9s %9s %7s %13s %5s %6s %6s %9s\n", "", "ours", "floor", "ratio", "spread", "cpu", "bound", "met", "peak")
	for _, c := range b.contests(tray) {
		if b.against != "" {
			c.floors, c.bound = [][]string{append([]string{b.against}, c.ours[1:]...)}, 1
		}
		if strings.Contains(c.name, only) && (b.against == "" || c.ours[0] == b.program) {
			err := b.contend(c)
			if err != nil {
				return fmt.Errorf("%s: %w", c.name, err)
			}
		}
	}
	return nil
}

// textKey is a key that is not in order, and keyedTray the plan with it.
const textKey = "shelf_code,specimen_id"

func (b *bench) keyedTray() string { return filepath.Join(b.dir, "keyed.tray") }

// makeData writes the files that are loaded into a folder.
func makeData(dir, records string) error {
	n, err := strconv.Atoi(records)
	if err != nil {
		return err
	}
	b := &bench{dir: dir, data: filepath.Join(dir, "specimens.csv")}
	err = writeData(b.data, 0, n)
	if err == nil {
		err = writeData(b.few(), n, fewRecords)
	}
	if err == nil {
		err = b.writeMany()
	}
	for _, columns := range []int{wideColumns, longColumns} {
		if err == nil {
			err = writeNumbers(b.numbers(columns), columns, n*longColumns/columns)
		}
	}
	if err == nil {
		err = pack(b.data)
	}
	if err == nil {
		err = writeBook(b.data+".xlsx", b.data, min(n, sheetRecords))
	}
	return err
}

func (b *bench) contests(tray string) []contest {
	db := filepath.Join(b.dir, "bench.db")
	dropFile := func() error { return os.RemoveAll(db) }
	dropTable := func() error { return floorDrop(b.postgres) }
	dropSQLServer := func() error { return dropSQLServer(b.sqlserver) }
	dropMySQL := func() error { return dropMySQL(b.mysql) }
	own := func(args ...string) []string { return append([]string{b.program}, args...) }
	load := func(to string, args ...string) []string {
		return own(append([]string{"load", tray, "--to", to}, args...)...)
	}
	floor := func(args ...string) []string { return append([]string{b.self, "floor"}, args...) }
	packed, book := b.data+".gz", b.data+".xlsx"
	loadBook := func(to string) []string { return own("load", filepath.Join(b.dir, "sheet.tray"), "--to", to) }
	floorBook := func(to string) [][]string {
		return [][]string{own("load", filepath.Join(b.dir, "lines.tray"), "--to", to), own("survey", book)}
	}
	out := filepath.Join(b.dir, "handover")
	contests := b.appends(db)
	contests = append(contests, []contest{
		{"handover", 0.6, own("handover", tray, "--dialect", "postgresql", "--out", out), [][]string{floor("rewrite", b.data, b.data+".again")}, func() error { return os.RemoveAll(out) }, nil},
		{"survey of a sheet", 1.2, own("survey", book), [][]string{floor("unzip", book)}, nil, nil},
		{"survey of a sheet, library", 0.025, own("survey", book), [][]string{floor("rows", book)}, nil, nil},
		{"sheet into PostgreSQL", 1.1, loadBook(b.postgres), floorBook(b.postgres), dropTable, nil},
		{"sheet into SQLite", 1.1, loadBook(db), floorBook(db), dropFile, nil},
		{"cut, one core", 0.25, floor("cut", b.data, "1"), [][]string{floor("csv", b.data)}, nil, nil},
		{"cut, two cores for one", 1 / 1.7, floor("cut", b.data, "2"), [][]string{floor("cut", b.data, "1")}, nil, nil},
		{"survey", 0.45, own("survey", b.data), [][]string{floor("csv", b.data)}, nil, nil},
		{"survey of gzip", 1.1, own("survey", packed), [][]string{floor("unpack", packed), own("survey", b.data)}, nil, nil},
		{"PostgreSQL, rows counted", 0.6, load(b.postgres, "--lanes", "1", "--verify", "counts"), [][]string{floor("postgres", b.data, b.postgres)}, dropTable, nil},
		{"PostgreSQL, verified", 0.8, load(b.postgres, "--lanes", "1"), [][]string{floor("postgres", b.data, b.postgres)}, dropTable, nil},
		{"MariaDB, rows counted", 1.05, load(b.mysql, "--lanes", "1", "--verify", "counts"), [][]string{floor("mysql", b.data, b.mysql)}, dropMySQL, nil},
		{"MariaDB, verified", 1.5, load(b.mysql, "--lanes", "1"), [][]string{floor("mysql", b.data, b.mysql)}, dropMySQL, nil},
		{"PostgreSQL, two lanes counted", 0.5, load(b.postgres, "--lanes", "2", "--verify", "counts"), [][]string{floor("postgres", b.data, b.postgres)}, dropTable, nil},
		{"PostgreSQL, two lanes", 0.65, load(b.postgres, "--lanes", "2"), [][]string{floor("postgres", b.data, b.postgres)}, dropTable, nil},
		{"MariaDB, two lanes counted", 0.7, load(b.mysql, "--lanes", "2", "--verify", "counts"), [][]string{floor("mysql", b.data, b.mysql)}, dropMySQL, nil},
		{"MariaDB, two lanes", 0.9, load(b.mysql, "--lanes", "2"), [][]string{floor("mysql", b.data, b.mysql)}, dropMySQL, nil},
		{"SQL Server, rows counted", 1.1, load(b.sqlserver, "--verify", "counts"), [][]string{floor("sqlserver", strconv.Itoa(b.records), b.sqlserver)}, dropSQLServer, nil},
		{"SQL Server, verified", 1.4, load(b.sqlserver), [][]string{floor("sqlserver", strconv.Itoa(b.records), b.sqlserver)}, dropSQLServer, nil},
		{"SQLite, rows counted", 0.85, load(db, "--verify", "counts"), [][]string{floor("sqlite", b.data, db)}, dropFile, nil},
		{"SQLite, verified", 1, load(db), [][]string{floor("sqlite", b.data, db)}, dropFile, nil},
	}...)
	if b.c != "" {
		inC := [][]string{{b.c, b.data, db}}
		contests = append(contests, contest{"SQLite in C, rows counted", 0.5, load(db, "--verify", "counts"), inC, dropFile, nil},
			contest{"SQLite in C, verified", 0.5, load(db), inC, dropFile, nil},
			contest{"SQLite in C, key of texts", 0.5, own("load", b.keyedTray(), "--to", db), [][]string{{b.c, b.data, db, textKey}}, dropFile, nil})
	}
	contests = append(contests, b.exports(db, own, floor, load)...)
	contests = append(contests, b.wide(db, own)...)
	return append(contests, b.many(db, own)...)
}

// wideColumns and longColumns are those of two files with the same number of cells.
const (
	wideColumns = 1_000
	longColumns = 10
)

func (b *bench) numbers(columns int) string {
	return filepath.Join(b.dir, fmt.Sprintf("numbers-%d.csv", columns))
}

// wide load a table of many columns, against the same number of cells in few columns.
func (b *bench) wide(db string, own func(args ...string) []string) (list []contest) {
	for name, to := range map[string]string{"PostgreSQL": b.postgres, "MariaDB": b.mysql, "SQLite": db} {
		load := func(columns int) []string {
			return own("load", b.numbers(columns), "--to", to, "--existing", "rebuild", "--again", "--yes", "--accept-loss")
		}
		list = append(list, contest{"1,000 columns into " + name, 1.5, load(wideColumns), [][]string{load(longColumns)}, nil, nil})
	}
	return list
}

// Of the files that make a table each: many small ones, and a few for two cores.
const (
	manyFiles   = 200
	manyRecords = 2_000
	someFiles   = 12
	someRecords = 50_000
)

func (b *bench) folder(name string) string { return filepath.Join(b.dir, name) }

// writeMany writes the files that make a table each, and one with the records of the many.
func (b *bench) writeMany() error {
	for name, size := range map[string][2]int{"many": {manyFiles, manyRecords}, "some": {someFiles, someRecords}, "one": {1, manyFiles * manyRecords}} {
		err := os.MkdirAll(b.folder(name), 0o777)
		if err != nil {
			return err
		}
		for i := range size[0] {
			err := writeData(filepath.Join(b.folder(name), fmt.Sprintf("%s%03d.csv", name, i)), i*size[1], size[1])
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// many load many files into a table each, against one file of the same records, and against
// one file after the other.
func (b *bench) many(db string, own func(args ...string) []string) (list []contest) {
	for name, to := range map[string]string{"PostgreSQL": b.postgres, "MariaDB": b.mysql, "SQLite": db} {
		load := func(folder string, args ...string) []string {
			args = append([]string{"load", b.folder(folder), "--each", "--to", to, "--existing", "rebuild", "--again"}, args...)
			return own(args...)
		}
		list = append(list,
			contest{"200 small files into " + name, 1.3, load("many"), [][]string{load("one")}, nil, nil},
			contest{"2 jobs into " + name, 0.65, load("some", "--jobs", "2"), [][]string{load("some")}, nil, nil})
	}
	return list
}

// exports write a table to a file, against the server's own way or its client.
func (b *bench) exports(db string, own, floor func(args ...string) []string, load func(to string, args ...string) []string) []contest {
	out, theirs := b.data+".out.csv", b.data+".floor.csv"
	export := func(from string) []string {
		return own("export", "specimens", "--from", from, "--out", out, "--replace")
	}
	fill := func(to string) []string { return load(to, "--existing", "rebuild", "--no-ledger") }
	const all = "SELECT * FROM specimens"
	address, _ := url.Parse(b.mysql)
	client := []string{"client", theirs, "mariadb", "--no-defaults", "--quick", "--batch", "-u", "root", "-h", address.Hostname(), "-P", address.Port(),
		"-e", all, strings.TrimPrefix(address.Path, "/")}
	return []contest{
		{"export from PostgreSQL", 1.25, export(b.postgres), [][]string{floor("export", theirs, b.postgres)}, nil, fill(b.postgres)},
		{"export from MariaDB", 1.25, export(b.mysql), [][]string{floor(client...)}, nil, fill(b.mysql)},
		{"export from SQLite", 1.25, export(db), [][]string{floor("client", theirs, "sqlite3", "-csv", "-header", db, all)}, nil, fill(db)},
	}
}

// fewRecords is how many are added to a table.
const fewRecords = 20_000

func (b *bench) few() string     { return filepath.Join(b.dir, "few.csv") }
func (b *bench) fewTray() string { return filepath.Join(b.dir, "few.tray") }

// appends add few records to a table that has all, against the same to an empty one.
func (b *bench) appends(db string) (list []contest) {
	for name, to := range map[string]string{"PostgreSQL": b.postgres, "MariaDB": b.mysql, "SQLite": db} {
		add := func(table string) []string {
			return []string{b.program, "load", b.fewTray(), "--to", to, "--table", table, "--existing", "append", "--no-ledger"}
		}
		fill := []string{b.program, "load", filepath.Join(b.dir, "specimens.tray"), "--to", to, "--table", "many", "--existing", "rebuild", "--no-ledger"}
		list = append(list, contest{"few rows into " + name, 1.6, add("many"), [][]string{add("none")}, func() error { return b.takeOut(to) }, fill})
	}
	return list
}

// takeOut takes the few records out of the tables again.
func (b *bench) takeOut(to string) error {
	ctx := context.Background()
	t, err := connect.Open(ctx, to, connect.Options{Create: true})
	if err != nil {
		return err
	}
	defer t.Close()
	most, err := t.Query(ctx, "SELECT max(specimen_id) FROM many")
	if err != nil {
		return err
	}
	last := most[0][0]
	if b.most[to] == "" { // before the first
		b.most[to] = last
		_, err := t.Exec(ctx, "CREATE TABLE none AS SELECT * FROM many WHERE 1 = 0")
		if err == nil {
			err = keyNone(ctx, t)
		}
		return err
	}
	_, err = t.Exec(ctx, "DELETE FROM many WHERE specimen_id > "+b.most[to])
	if err == nil {
		_, err = t.Exec(ctx, "DELETE FROM none")
	}
	return err
}

// keyNone gives the empty table its key. SQLite adds none to a table that exists.
func keyNone(ctx context.Context, t database.Target) error {
	if t.Dialect().Name == "sqlite" {
		_, err := t.Exec(ctx, "CREATE UNIQUE INDEX none_key ON none (specimen_id)")
		return err
	}
	_, err := t.Exec(ctx, "ALTER TABLE none ADD PRIMARY KEY (specimen_id)")
	return err
}

func (b *bench) contend(c contest) error {
	if c.setUp != nil {
		_, err := b.execute(c.setUp)
		if err != nil {
			return err
		}
	}
	var ours, floors []run
	for i := range b.runs + 1 {
		our, err := b.run(c, c.ours)
		if err != nil {
			return err
		}
		var slowest run
		for _, f := range c.floors {
			r, err := b.run(c, f)
			if err != nil {
				return err
			}
			if r.wall > slowest.wall {
				slowest = r
			}
		}
		if i > 0 { // the first is to warm up
			ours, floors = append(ours, our), append(floors, slowest)
		}
	}
	var ratios, cpu []float64
	var peak int64
	met := 0
	for i := range ours {
		ratio := float64(ours[i].wall) / float64(floors[i].wall)
		ratios, cpu = append(ratios, ratio), append(cpu, float64(ours[i].cpu)/float64(floors[i].cpu))
		peak = max(peak, ours[i].peak)
		if ratio <= c.bound {
			met++
		}
	}
	wall := func(r run) time.Duration { return r.wall }
	fmt.Printf("%-28s %8.2fs %8.2fs %7.2f %6.2f–%-6.2f %5.2f %6.2f %4d/%d %6d MB\n", c.name,
		median(mapped(ours, wall)).Seconds(), median(mapped(floors, wall)).Seconds(), median(ratios), slices.Min(ratios), slices.Max(ratios), median(cpu), c.bound, met, len(ours), peak/1000)
	return nil
}

func (b *bench) run(c contest, argv []string) (run, error) {
	if c.reset != nil {
		err := c.reset()
		if err != nil {
			return run{}, err
		}
	}
	return b.execute(argv)
}

// execute runs a command in the folder of the data, where it leaves its trays.
func (b *bench) execute(argv []string) (run, error) {
	cmd := exec.Command(argv[0], argv[1:]...)
	cmd.Dir = b.dir
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &out
	start := time.Now()
	err := cmd.Start()
	if err != nil {
		return run{}, err
	}
	ended, peak := make(chan struct{}), make(chan int64)
	go watchMemory(cmd.Process.Pid, ended, peak)
	err = cmd.Wait()
	wall := time.Since(start)
	close(ended)
	if err != nil {
		return run{}, fmt.Errorf("%s: %w: %s", strings.Join(argv, " "), err, out.String())
	}
	return run{wall, cmd.ProcessState.UserTime() + cmd.ProcessState.SystemTime(), <-peak}, nil
}

// watchMemory looks at how much memory a process has had at most, in kB, until it ends. What
// the system reports at the end counts from the memory of who started it.
func watchMemory(pid int, ended <-chan struct{}, peak chan<- int64) {
	most := int64(0)
	for {
		status, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
		m := peakMemory.FindSubmatch(status)
		if m != nil {
			kB, _ := strconv.ParseInt(string(m[1]), 10, 64)
			most = max(most, kB)
		}
		select {
		case <-ended:
			peak <- most
			return
		case <-time.After(20 * time.Millisecond):
		}
	}
}

var peakMemory = regexp.MustCompile(`VmHWM:\s+(\d+) kB`)

func mapped[A, B any](list []A, f func(A) B) []B {
	var out []B
	for _, a := range list {
		out = append(out, f(a))
	}
	return out
}

func median[T cmp.Ordered](list []T) T {
	list = slices.Sorted(slices.Values(list))
	return list[len(list)/2]
}
