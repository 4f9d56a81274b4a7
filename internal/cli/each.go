package cli

import (
	"errors"
	"fmt"
	"io"
	"iter"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"

	"github.com/spf13/cobra"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/intake"
	"ambertray/internal/load"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/survey"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

// each is a load of many sources, each into a table of its own.
type each struct {
	a       *app
	c       *cobra.Command
	loading *loading
	units   []eachUnit
	mutex   sync.Mutex      // of what follows
	wave    []int           // the units that are still to be loaded now
	moved   []pass.Progress // how far each has come
	line    *term.Progress
	// writing is held by the load that writes, where a database has one writer.
	writing sync.Mutex
}

// eachUnit is one source, and what becomes of it.
type eachUnit struct {
	intake.Unit `json:"-"`
	dir         string // of its tray
	known       bool   // the tray exists
	// refers are the tables that its foreign keys refer to.
	refers []string

	Source   string  `json:"source"`
	Tray     string  `json:"tray"`
	Table    string  `json:"table"`
	Result   string  `json:"result"`
	Read     int64   `json:"read"`
	Loaded   int64   `json:"loaded"`
	Rejected int64   `json:"rejected"`
	Seconds  float64 `json:"seconds"`
	Verified bool    `json:"verified"`
	Error    *string `json:"error"`
	Try      *string `json:"try"`
	// Notes are those of the receipt, each with its source.
	Notes []note.Note `json:"notes"`

	status int
	layout source.Layout
}

// results are the words for exit statuses.
var results = map[int]string{
	exitDone: "loaded", exitFailed: "failed", exitUsage: "failed", exitRejects: "loaded, with rejects", exitDiffers: "differs",
	exitLoaded: "loaded before", exitPartial: "stopped after a checkpoint", exitLater: "failed, try later",
}

// severity orders exit statuses: what comes first is the worst.
var severity = []int{exitFailed, exitUsage, exitLater, exitPartial, exitDiffers, exitRejects, exitDone, exitLoaded}

// loadEach loads every file and sheet into a table of its own, several at a time.
func (a *app) loadEach(c *cobra.Command, l *loading, names []string, jobs int) error {
	for _, option := range []string{"table", "tray"} {
		if c.Flags().Changed(option) {
			return usageError{fmt.Errorf("--%s and --each exclude each other: every source has its own", option)}
		}
	}
	if l.Rows > 0 {
		return usageError{errors.New("--rows shows the rows of one load: leave out --each")}
	}
	if jobs < 1 {
		return usageError{fmt.Errorf("--jobs %d: write a number from 1", jobs)}
	}
	units, left, err := intake.Units(c.Context(), a.from, names)
	if err != nil {
		return err
	}
	e := &each{a: a, c: c, loading: l, moved: make([]pass.Progress, len(units)), line: a.line(fmt.Sprintf("loading %s", term.Amount(int64(len(units)), "table")))}
	err = e.name(units)
	if err != nil {
		return err
	}
	err = a.confirmEach(l, len(units))
	if err != nil {
		return err
	}
	l.yes = true
	tgt, end, err := a.openNew(c.Context(), l)
	if err != nil {
		return err
	}
	defer end()
	for wave := range e.waves() {
		e.run(tgt, min(jobs, len(wave)), wave)
	}
	e.line.Done()
	a.status = e.status(len(left.Growing) > 0)
	result := struct {
		Each []eachUnit `json:"each"`
		intake.LeftOut
	}{e.units, left}
	a.changed = true
	return a.show(result, func() { e.draw(left) })
}

// name gives each unit its tray and table. Where two would have the same, the whole names
// of their files count.
func (e *each) name(units []intake.Unit) error {
	trays, tables := map[string]string{}, map[string]string{}
	short := map[string]int{}
	for _, u := range units {
		short[survey.TableName(baseOf(u))]++
	}
	for _, u := range units {
		one := eachUnit{Unit: u, Source: u.Title(), Result: "not begun", Notes: []note.Note{}, status: exitFailed}
		one.dir = source.BaseName(u.File)
		if u.Sheet != "" {
			one.dir += "-" + dialect.Identifier(u.Sheet)
		}
		one.dir += tray.Suffix
		one.Tray, one.known = one.dir, tray.Exists(one.dir)
		one.Table = survey.TableName(baseOf(u))
		if short[one.Table] > 1 {
			one.Table = dialect.Identifier(baseOf(u))
		}
		if one.known {
			t, err := tray.Read(one.dir)
			if err != nil {
				return err
			}
			one.Table = t.Table.Name
			for _, c := range t.Table.Columns {
				if c.References != nil {
					one.refers = append(one.refers, c.References.Table)
				}
			}
		}
		for _, names := range []struct {
			what string
			of   map[string]string
			name string
		}{{"tray", trays, one.dir}, {"table", tables, one.Table}} {
			other, ok := names.of[names.name]
			if ok {
				return &sameNameError{other, one.Source, names.what, names.name}
			}
			names.of[names.name] = one.Source
		}
		e.units = append(e.units, one)
	}
	return nil
}

// baseOf is what the table of a unit is called after: the sheet, with the file where its
// name has no letter, or the file.
func baseOf(u intake.Unit) string {
	switch {
	case u.Sheet == "":
		return source.BaseName(u.File)
	case !strings.ContainsFunc(u.Sheet, unicode.IsLetter):
		return survey.TableName(source.BaseName(u.File)) + " " + u.Sheet
	}
	return u.Sheet
}

// sameNameError says that two sources would have one table or tray.
type sameNameError struct{ first, second, what, name string }

func (e *sameNameError) Error() string {
	return fmt.Sprintf("%s and %s would both have the %s %s", e.first, e.second, e.what, e.name)
}

// waves yields the units that can be loaded at the same time: those first to whose tables
// others refer.
func (e *each) waves() iter.Seq[[]int] {
	depth := make([]int, len(e.units))
	at := map[string]int{}
	for i := range e.units {
		at[e.units[i].Table] = i
	}
	for range e.units { // each round settles one more level, and a circle ends here too
		settled := true
		for i := range e.units {
			for _, name := range e.units[i].refers {
				to, ok := at[name]
				if ok && to != i && depth[i] <= depth[to] {
					depth[i], settled = depth[to]+1, false
				}
			}
		}
		if settled {
			break
		}
	}
	return func(yield func([]int) bool) {
		for level := range slices.Max(append(depth, 0)) + 1 {
			var wave []int
			for i := range depth {
				if depth[i] == level {
					wave = append(wave, i)
				}
			}
			if len(wave) > 0 && !yield(wave) {
				return
			}
		}
	}
}

// run loads units with a number of connections, of which the first is open. For each of them
// another unit is planned while the server is busy.
func (e *each) run(first database.Target, jobs int, wave []int) {
	e.wave = wave
	planned := make(chan *unitLoad)
	var planning, loading sync.WaitGroup
	for job := range jobs {
		planning.Go(func() {
			tables, end := e.existingTables()
			defer end()
			for i := e.take(); i >= 0; i = e.take() {
				u := e.plan(i, tables)
				if u != nil {
					planned <- u
				}
			}
		})
		loading.Go(func() {
			tgt := first
			if job > 0 {
				var err error
				tgt, err = e.a.open(e.c.Context(), *e.loading.to, true)
				if err != nil {
					return // the others load all
				}
				defer e.a.closeTarget(tgt)
			}
			for u := range planned {
				e.load(tgt, u)
			}
		})
	}
	planning.Wait()
	close(planned)
	loading.Wait()
}

// existingTables opens a connection to the tables whose types the plans take, nil if rows are not added
// to existing ones. Those of the loads are busy.
func (e *each) existingTables() (tgt database.Target, end func()) {
	if e.loading.drafting.existing == "" {
		return nil, func() {}
	}
	tgt, err := e.a.open(e.c.Context(), *e.loading.to, true)
	if err != nil { // which the loads will report
		return nil, func() {}
	}
	return tgt, func() { tgt.Close() }
}

// take returns the next unit, -1 where none is left.
func (e *each) take() int {
	e.mutex.Lock()
	defer e.mutex.Unlock()
	if len(e.wave) == 0 || e.c.Context().Err() != nil {
		return -1
	}
	next := e.wave[0]
	e.wave = e.wave[1:]
	return next
}

// unitLoad is the load of one unit. What it would print is kept for the table of results.
type unitLoad struct {
	*eachUnit
	own   *app
	job   *loadJob
	spent time.Duration // on the plan
}

// plan drafts or reads the plan of a unit, and returns nil if that fails.
func (e *each) plan(i int, tables database.Target) *unitLoad {
	start := time.Now()
	options := *e.loading.Options
	options.Notes = slices.Clone(options.Notes)
	options.Progress = func(p pass.Progress) { e.progress(i, p) }
	l := *e.loading
	u := &unitLoad{eachUnit: &e.units[i], own: &app{out: io.Discard, err: io.Discard, print: term.NewPrinter(io.Discard), from: e.a.from.Beside()}}
	l.Options, l.drafting = &options, e.drafting(u.eachUnit)
	u.job = &loadJob{loading: &l, args: []string{u.File}}
	var err error // a person was asked about all tables
	u.job.plan, u.job.survey, err = u.own.planned(e.c, &l, u.job.args, tables)
	u.spent = time.Since(start)
	if err != nil {
		e.finish(u, err)
		return nil
	}
	return u
}

// load loads a unit by its plan.
func (e *each) load(tgt database.Target, u *unitLoad) {
	start := time.Now()
	u.job.to = tgt
	if tgt.Dialect() == dialect.SQLite {
		u.job.writing = &e.writing
	}
	err := e.a.persist(e.c.Context(), u.job.patience, func() (bool, error) {
		err := u.own.loadInto(e.c, u.job)
		return passes(err, false), err
	})
	u.spent += time.Since(start)
	e.finish(u, err)
}

// finish notes what became of a unit.
func (e *each) finish(u *unitLoad, err error) {
	u.own.from.Close()
	u.Seconds = u.spent.Seconds()
	r := u.job.receipt
	if r != nil {
		u.Read, u.Loaded, u.Rejected, u.Verified = r.Counts.Read, r.Counts.Loaded, r.Counts.Rejected, r.Verified
		u.status, u.layout = u.own.status, r.Layout
		for _, n := range r.Notes {
			if n.Source == nil {
				n.Source = &u.Source
			}
			u.Notes = append(u.Notes, n)
		}
	}
	if err != nil {
		u.status = statusOf(err)
		message := reasonOf(e.a.interrupted(e.c.Context(), err))
		u.Error = &message
		hint := e.a.hintFor(err)
		if hint != "" {
			u.Try = &hint
		}
	}
	u.Result = results[u.status]
	e.a.log.Info("source", "source", u.Source, "table", u.Table, "result", u.Result, "read", u.Read, "loaded", u.Loaded, "rejected", u.Rejected, "seconds", u.Seconds)
}

// drafting is what the command line says of a plan, with what is the unit's own.
func (e *each) drafting(u *eachUnit) *drafting {
	d := *e.loading.drafting
	d.dir = u.dir
	if !u.known {
		d.table = u.Table
	}
	all := d.options
	d.options = func() (survey.Options, error) {
		o, err := all()
		return onSheet(o, u.Sheet), err
	}
	return &d
}

// progress shows how far all have come together.
func (e *each) progress(i int, p pass.Progress) {
	e.mutex.Lock()
	defer e.mutex.Unlock()
	if p.Phase != "" { // other tables are read meanwhile
		return
	}
	e.moved[i] = p
	var all pass.Progress
	for _, m := range e.moved {
		all.Bytes, all.Size, all.Records, all.Rejected = all.Bytes+m.Bytes, all.Size+m.Size, all.Records+m.Records, all.Rejected+m.Rejected
	}
	e.line.Update(stateOf(all))
}

// status returns the exit status of the worst.
func (e *each) status(growing bool) int {
	worst := exitLoaded
	if growing {
		worst = exitLater
	}
	for i := range e.units {
		if slices.Index(severity, e.units[i].status) < slices.Index(severity, worst) {
			worst = e.units[i].status
		}
	}
	return worst
}

func (e *each) draw(left intake.LeftOut) {
	p := e.a.print
	var rows [][]string
	var all eachUnit
	for i := range e.units {
		u := &e.units[i]
		all.Read, all.Loaded, all.Rejected = all.Read+u.Read, all.Loaded+u.Loaded, all.Rejected+u.Rejected
		rejected, verified := term.Count(u.Rejected), ""
		if u.Rejected > 0 {
			rejected = p.Red(rejected)
		}
		switch {
		case u.Verified && e.loading.Verify == load.RowsOnly:
			verified = p.Amber("counted")
		case u.Verified:
			verified = "verified"
		}
		result := u.Result
		if u.status != exitDone && u.status != exitLoaded {
			result = p.Red(result)
		}
		rows = append(rows, []string{filepath.ToSlash(u.Source), p.Bold(u.Table), term.Count(u.Read), term.Count(u.Loaded), rejected, term.Seconds(u.Seconds), verified, result})
	}
	p.Table([]term.Column{{Title: "source", Max: 48}, {Title: "table"}, {Title: "read", Right: true}, {Title: "loaded", Right: true},
		{Title: "rejected", Right: true}, {Title: "time", Right: true, Spare: true}, {Title: ""}, {Title: "result"}}, rows)
	p.Line("")
	p.Fact("together", "%s: %s read, %s loaded, %s rejected", term.Amount(int64(len(e.units)), "table"), term.Amount(all.Read, "row"), term.Count(all.Loaded), term.Count(all.Rejected))
	e.drawNotes()
	for i := range e.units {
		u := &e.units[i]
		if u.Error != nil && u.status != exitLoaded {
			p.Fact("failed", "%s", p.Red(u.Source+": "+*u.Error))
			if u.Try != nil {
				p.Fact("", "%s", *u.Try)
			}
		}
	}
	e.a.drawLeftOut(left)
	if slices.Contains([]int{exitFailed, exitLater, exitPartial}, e.a.status) {
		p.Next("Run the same command again to load the rest.", "")
	}
}

// drawNotes shows the first notes on the sources, the most important of each before the others.
func (e *each) drawNotes() {
	var all []note.Note
	layouts := map[string]*source.Layout{}
	for rank, more := 0, true; more; rank++ {
		more = false
		for i := range e.units {
			u := &e.units[i]
			if rank < len(u.Notes) {
				all, more = append(all, u.Notes[rank]), true
				layouts[*u.Notes[rank].Source] = &u.layout
			}
		}
	}
	list := survey.WithoutRepeats(all)
	for i, n := range list {
		if i == maxNotes {
			e.a.print.Fact("", "and %s more, in the receipt of each load", term.Count(int64(len(list)-i)))
			return
		}
		e.a.print.Fact("note", "%s", noteText(&n, layouts[*n.Source]))
	}
}

// loadJob is one load on a target that is open, and what has become of it.
type loadJob struct {
	*loading
	to      database.Target
	args    []string
	writing *sync.Mutex // is held while rows are written, unless it is nil
	plan    *tray.Tray
	survey  *survey.Survey // nil unless the plan was drafted
	receipt *load.Receipt  // nil unless rows were loaded
}

// loadInto loads by the plan.
func (a *app) loadInto(c *cobra.Command, j *loadJob) (err error) {
	if j.writing != nil {
		j.writing.Lock()
		defer j.writing.Unlock()
	}
	run := load.Run
	if j.Sharing != nil {
		run = load.RunShared
	}
	j.receipt, err = run(c.Context(), j.plan, a.from, j.to, *j.Options)
	if j.receipt != nil && j.receipt.Counts.Rejected > 0 {
		a.status = exitRejects
	}
	return err
}
