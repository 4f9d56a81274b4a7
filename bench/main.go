// Command bench measures Amber Tray against floors: the least that a program
// has to do for the same result. Program and floor run in turn, each as a
// process of its own, and the medians of their times are compared.
//
// Start it with ./bench/run.sh, which also starts a private server.
package main

import (
	"cmp"
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"
)

type bench struct {
	self, program, dir, data, postgres, mysql string
	runs                                      int
}

// contest is one line of the result: a command of ours and its floor. Where
// there are several floors, the slowest counts.
type contest struct {
	name   string
	bound  float64 // of the ratio
	ours   []string
	floors [][]string
	reset  func() error
}

// run is what one process took.
type run struct {
	wall time.Duration
	peak int64 // kB
}

func main() {
	if len(os.Args) > 1 && os.Args[1] == "floor" {
		if err := runFloor(os.Args[2], os.Args[3:]); err != nil {
			log.Fatal(err)
		}
		return
	}
	b := &bench{postgres: os.Getenv("AMBERTRAY_TEST_POSTGRES"), mysql: os.Getenv("AMBERTRAY_TEST_MYSQL")}
	flag.StringVar(&b.program, "program", "ambertray", "the program to measure")
	flag.StringVar(&b.dir, "dir", os.TempDir(), "where the data goes")
	flag.IntVar(&b.runs, "runs", 5, "how often each is run")
	records := flag.Int("records", 2_000_000, "records in the file")
	only := flag.String("only", "", "run only contests whose name has this in it")
	flag.Parse()
	if err := b.measure(*records, *only); err != nil {
		log.Fatal(err)
	}
}

func (b *bench) measure(records int, only string) error {
	b.data = filepath.Join(b.dir, "specimens.csv")
	if err := writeData(b.data, records); err != nil {
		return err
	}
	info, err := os.Stat(b.data)
	if err != nil {
		return err
	}
	if err := pack(b.data); err != nil {
		return err
	}
	if err := writeBook(b.data+".xlsx", b.data, min(records, sheetRecords)); err != nil {
		return err
	}
	if b.self, err = os.Executable(); err != nil {
		return err
	}
	tray := filepath.Join(b.dir, "specimens.tray")
	if out, err := exec.Command(b.program, "draft", b.data, "--tray", tray).CombinedOutput(); err != nil {
		return fmt.Errorf("draft: %w: %s", err, out)
	}
	sheetTray, linesTray := filepath.Join(b.dir, "sheet.tray"), filepath.Join(b.dir, "lines.tray")
	for dir, from := range map[string]string{sheetTray: b.data + ".xlsx", linesTray: b.data + ".part.csv"} {
		if out, err := exec.Command(b.program, "draft", from, "--tray", dir, "--table", "specimens").CombinedOutput(); err != nil {
			return fmt.Errorf("draft: %w: %s", err, out)
		}
	}
	fmt.Printf("%d records, %d MB, %d runs each, medians\n\n", records, info.Size()/1e6, b.runs)
	fmt.Printf("%-28s %9s %9s %7s %7s %10s\n", "", "ours", "floor", "ratio", "bound", "peak")
	for _, c := range b.contests(tray) {
		if strings.Contains(c.name, only) {
			if err := b.contend(c); err != nil {
				return fmt.Errorf("%s: %w", c.name, err)
			}
		}
	}
	return nil
}

func (b *bench) contests(tray string) []contest {
	db := filepath.Join(b.dir, "bench.db")
	dropFile := func() error { return os.RemoveAll(db) }
	dropTable := func() error { return floorDrop(b.postgres) }
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
	return []contest{
		{"survey of a sheet", 2.5, own("survey", book), [][]string{floor("unzip", book)}, nil},
		{"survey of a sheet, library", 0.04, own("survey", book), [][]string{floor("rows", book)}, nil},
		{"sheet into PostgreSQL", 1.3, loadBook(b.postgres), floorBook(b.postgres), dropTable},
		{"sheet into SQLite", 1.3, loadBook(db), floorBook(db), dropFile},
		{"cut, one core", 0.25, floor("cut", b.data, "1"), [][]string{floor("csv", b.data)}, nil},
		{"cut, two cores for one", 1 / 1.7, floor("cut", b.data, "2"), [][]string{floor("cut", b.data, "1")}, nil},
		{"survey", 0.8, own("survey", b.data), [][]string{floor("csv", b.data)}, nil},
		{"survey of gzip", 1.1, own("survey", packed), [][]string{floor("unpack", packed), own("survey", b.data)}, nil},
		{"PostgreSQL, rows counted", 0.6, load(b.postgres, "--verify", "counts"), [][]string{floor("postgres", b.data, b.postgres)}, dropTable},
		{"PostgreSQL, verified", 0.8, load(b.postgres), [][]string{floor("postgres", b.data, b.postgres)}, dropTable},
		{"MariaDB, rows counted", 1.05, load(b.mysql, "--verify", "counts"), [][]string{floor("mysql", b.data, b.mysql)}, dropMySQL},
		{"MariaDB, verified", 1.5, load(b.mysql), [][]string{floor("mysql", b.data, b.mysql)}, dropMySQL},
		{"SQLite, rows counted", 0.85, load(db, "--verify", "counts"), [][]string{floor("sqlite", b.data, db)}, dropFile},
		{"SQLite, verified", 1, load(db), [][]string{floor("sqlite", b.data, db)}, dropFile},
	}
}

func (b *bench) contend(c contest) error {
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
	var ratios []float64
	var peak int64
	for i := range ours {
		ratios = append(ratios, float64(ours[i].wall)/float64(floors[i].wall))
		peak = max(peak, ours[i].peak)
	}
	wall := func(r run) time.Duration { return r.wall }
	fmt.Printf("%-28s %8.2fs %8.2fs %7.2f %7.2f %7d MB\n", c.name,
		median(mapped(ours, wall)).Seconds(), median(mapped(floors, wall)).Seconds(), median(ratios), c.bound, peak/1000)
	return nil
}

func (b *bench) run(c contest, argv []string) (run, error) {
	if c.reset != nil {
		if err := c.reset(); err != nil {
			return run{}, err
		}
	}
	return execute(argv)
}

func execute(argv []string) (run, error) {
	cmd := exec.Command(argv[0], argv[1:]...)
	start := time.Now()
	if out, err := cmd.CombinedOutput(); err != nil {
		return run{}, fmt.Errorf("%s: %w: %s", strings.Join(argv, " "), err, out)
	}
	usage := cmd.ProcessState.SysUsage().(*syscall.Rusage)
	return run{time.Since(start), usage.Maxrss}, nil
}

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
