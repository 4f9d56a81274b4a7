package tighten

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/export"
	"ambertray/internal/infer"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Proposal is what could be tighter about a table.
type Proposal struct {
	Target  string   `json:"target"`
	Table   string   `json:"table"`
	Rows    int64    `json:"rows"`
	Columns []Column `json:"columns"`
	// Key is the key that is proposed for a table without one.
	Key []string `json:"key"`
	// Statements make the changes, in the target's SQL.
	Statements []string `json:"statements"`
	// Obstacles are rows that keep columns from a tighter type, the first of each column.
	Obstacles []Row `json:"obstacles"`
	Applied   bool  `json:"applied"`

	steps *database.Steps
	plan  *table.Table // the table as it would be
	live  []database.ColumnInfo
}

// Column is a column and what is proposed for it.
type Column struct {
	Name     string `json:"name"`
	Was      string `json:"current_type"` // the server's own name
	NullWas  bool   `json:"currently_nullable"`
	Type     string `json:"type"` // that it would have
	Nullable bool   `json:"nullable"`
	Changes  bool   `json:"changes"`
	Evidence string `json:"evidence"`
	// NullWords are texts that would become NULL.
	NullWords []string `json:"null_words"`
	// Unchanged says why a tighter type is not proposed; null if it is.
	Unchanged *string `json:"unchanged_because"`
	// ObstacleRows is how many rows keep it from a tighter type.
	ObstacleRows int64 `json:"obstacle_rows"`

	tightened database.Tightened
	tighter   *infer.Choice // what the obstacles keep it from
}

// Row is a row that keeps a column from a tighter type.
type Row struct {
	Column string `json:"column"`
	Key    string `json:"key"` // its values of the key, or its place among the rows
	Value  string `json:"value"`
	Reason string `json:"reason"`
}

// Options of a proposal.
type Options struct {
	Survey survey.Options
	// Set is what a person has set, by the name of the column.
	Set map[string]Set
}

// Set overrides the type of a column and how its values are read. Fields that are nil or empty follow from the
// values.
type Set struct {
	Type            *table.Type
	Format, Decimal string
}

// read returns a choice with these overrides.
func (s *Set) read(as *infer.Choice) *infer.Choice {
	forced := *as
	if as.Tighter != nil && s.Type != nil && as.Tighter.Type.Kind == s.Type.Kind {
		forced = *as.Tighter
	}
	if s.Type != nil {
		forced.Type = *s.Type
	}
	forced.Format = cmp.Or(s.Format, forced.Format)
	if s.Decimal != "" {
		forced.Decimal, forced.Thousands = s.Decimal, map[string]string{",": ".", ".": ","}[s.Decimal]
	}
	return &forced
}

// Propose profiles a table and finds what could be tighter. It changes nothing.
func Propose(ctx context.Context, to database.Target, name string, o Options) (*Proposal, error) {
	tightener, err := database.Require[database.Tightener](to, to, "changing the types of a table")
	if err != nil {
		return nil, err
	}
	work, err := export.Table(ctx, to, name)
	if err != nil {
		return nil, err
	}
	for column := range o.Set {
		if work.Table.Column(column) == nil {
			return nil, fmt.Errorf("table %s has no column %s; columns: %s", name, column, strings.Join(names(work.Table), ", "))
		}
	}
	s, err := Profile(ctx, to, work, o.Survey)
	if err != nil {
		return nil, err
	}
	p := &Proposal{Target: to.Name(), Table: name, Rows: s.Records, Key: []string{}, Statements: []string{}, Obstacles: []Row{}}
	p.live, err = database.Columns(ctx, to, name)
	if err != nil {
		return nil, err
	}
	nulls, err := p.countNulls(ctx, to, s)
	if err != nil {
		return nil, err
	}
	for i := range p.live {
		p.Columns = append(p.Columns, propose(&p.live[i], &s.Columns[i], nulls[i], to, o.Set))
	}
	err = p.tryForms(ctx, to, tightener.Caster(), s)
	if err != nil {
		return nil, err
	}
	err = p.proposeKey(ctx, to, s)
	if err != nil {
		return nil, err
	}
	err = p.plans(ctx, to, tightener)
	if err != nil {
		return nil, err
	}
	return p, p.findObstacles(ctx, to)
}

func names(t *table.Table) (list []string) {
	for _, c := range t.Columns {
		list = append(list, c.Name)
	}
	return list
}

// countNulls counts the NULLs of each column, which a profile does not distinguish from blanks.
func (p *Proposal) countNulls(ctx context.Context, to database.Target, s *survey.Survey) (nulls []int64, err error) {
	var blank []int
	for i := range p.live {
		if s.Columns[i].Blanks > 0 {
			blank = append(blank, i)
		}
	}
	d := to.Dialect()
	nulls = make([]int64, len(p.live))
	for some := range slices.Chunk(blank, 100) {
		var counts []string
		for _, i := range some {
			counts = append(counts, "count(*) - count("+d.Quote(p.live[i].Name)+")")
		}
		rows, err := to.Query(ctx, "SELECT "+strings.Join(counts, ", ")+" FROM "+d.QuoteTable(p.Table))
		if err != nil {
			return nil, err
		}
		for k, i := range some {
			nulls[i] = database.ParseCount(rows[0][k])
		}
	}
	return nulls, nil
}

// propose returns what could be tighter about a column.
func propose(l *database.ColumnInfo, s *survey.Column, nulls int64, to database.Target, sets map[string]Set) Column {
	c := Column{Name: l.Name, Was: l.Native, NullWas: l.Nullable, Type: l.Native, Nullable: l.Nullable, Evidence: s.Evidence, NullWords: []string{}}
	t := &c.tightened
	t.Was = *l
	if l.Type == nil {
		t.Was.Type = &table.Type{Kind: table.Text} // its values are read as text
	}
	t.Column = table.Column{From: l.Name, Name: l.Name, Type: *t.Was.Type, Nullable: true}
	if l.Generated || !l.Known || l.Type == nil && !strings.EqualFold(l.Native, "text") && l.Native != "" {
		c.stays("the server computes it, or changing its type is not supported")
		return c
	}
	by, set := sets[l.Name]
	if l.Own && !set {
		c.stays("its type has rules of its own, such as the words of an enum")
		return c
	}
	c.Nullable = l.Nullable && nulls > 0
	if l.Nullable && s.Distinct == 0 {
		c.Nullable = true // nothing says what it is
	}
	choice := &s.Choice
	if set {
		choice = by.read(choice)
	} else {
		c.findTighter(choice)
	}
	blanks := !set && !l.Nullable && s.Blanks > 0 && t.Type.Textual() && !choice.Type.Textual()
	if blanks && c.Unchanged == nil && s.Distinct > 0 {
		c.tighter = choice // so that the blank texts are obstacles
		c.stays("its blank texts would become NULL, and it is NOT NULL; drop that constraint to accept them")
	}
	name, _, _ := strings.Cut(to.Dialect().TypeName(choice.Type), " /*")
	named := strings.EqualFold(l.Native, name) // a name may mean a wider type there
	if set || s.Distinct > 0 && !blanks && s.Choice.Rejects == 0 && s.Choice.NullWords == nil && s.Choice.Guess == "" && !named && tighter(t.Type, choice.Type, to) {
		t.Retyped, t.Type, t.Trim = true, choice.Type, s.Controls && !choice.Type.Textual()
		t.Format, t.Thousands, t.Decimal, t.Currency, t.Percent, t.NullWords = choice.Format, choice.Thousands, choice.Decimal, choice.Currency, choice.Percent, choice.NullWords
		c.NullWords = append(c.NullWords, choice.NullWords...)
		switch {
		case t.Type.Kind != table.Boolean:
		case choice.TrueWord == "": // somebody has set the type
			t.TrueWords, t.FalseWords = value.BooleanWords()
		default:
			t.TrueWords, t.FalseWords = []string{choice.TrueWord}, []string{choice.FalseWord}
		}
		if s.Shortest == s.Longest {
			t.Width = s.Longest
		}
		if t.Rewritten() { // blanks become NULL
			c.Nullable = l.Nullable && (nulls > 0 || s.Blanks > 0 || len(choice.NullWords) > 0)
		}
		c.Type = to.Dialect().TypeName(t.Type)
	}
	t.Nullable = c.Nullable
	c.Changes = t.Retyped || c.NullWas != c.Nullable
	return c
}

// findTighter sets the type that most values of the column have if its other values prevent that type,
// and the reason why it is not proposed.
func (c *Column) findTighter(choice *infer.Choice) {
	switch {
	case choice.Rejects > 0: // such as days that do not exist
		c.tighter = choice
	case choice.Tighter != nil:
		c.tighter = choice.Tighter
	case choice.NullWords != nil:
		strict := *choice
		strict.NullWords = nil // so that their rows are obstacles
		c.tighter = &strict
		c.stays(fmt.Sprintf("%q would become NULL; set the type to accept that", choice.NullWords[0]))
		return
	case choice.Guess != "":
		c.stays(choice.Guess + "; set the type to accept this reading, or set the other one")
		return
	default:
		return
	}
	c.stays("some of its values are not of the type that most are")
}

func (c *Column) stays(why string) { c.Unchanged = &why }

// leave withdraws the proposal for a column, and removes the column from the proposed key.
func (p *Proposal) leave(c *Column, why string) {
	p.Key = slices.DeleteFunc(p.Key, func(k string) bool { return k == c.Name })
	c.stays(why)
	c.Type, c.Changes, c.Nullable, c.NullWords = c.Was, false, c.NullWas, []string{}
	c.tightened.Retyped = false
	c.tightened.Type = *c.tightened.Was.Type
	c.tightened.Nullable = c.NullWas
}

// tighter reports whether one type is tighter than another of a live column. Floating
// point stays: its values may not be what they look like. So does a decimal with less
// than twice the digits: it may be the one that was meant.
func tighter(live, next table.Type, to database.Target) bool {
	switch {
	case live.Textual() && next.Textual():
		return next.Kind != table.Text && (live.Kind == table.Text || next.Size < live.Size)
	case live.Textual():
		return next.Kind != table.UUID || !to.Dialect().Stored(next).Textual()
	case live.Whole():
		return next.Whole() && next.Kind < live.Kind
	case live.Kind == table.Decimal:
		return next.Whole() || next.Kind == table.Decimal && 2*next.Size <= live.Size && next.Scale <= live.Scale
	case live.HasClock():
		return live.Kind == table.Timestamp && next.Kind == table.Date || next.Kind == live.Kind && next.Fraction() < live.Fraction()
	}
	return false
}

// proposeKey offers a key to a table without one.
func (p *Proposal) proposeKey(ctx context.Context, to database.Target, s *survey.Survey) error {
	key, err := database.PrimaryKey(ctx, to, p.Table)
	if err != nil || len(key) > 0 {
		return err
	}
	for i := range p.Columns {
		c := &p.Columns[i]
		if s.Columns[i].Key && !c.Nullable && c.tightened.Type.Kind != table.Text && c.tightened.Type.Kind != table.Double {
			p.Key = []string{c.Name}
			return nil
		}
	}
	return nil
}

// plans asks the database how it makes the changes, and takes those back that it does not
// make.
func (p *Proposal) plans(ctx context.Context, to database.Target, tightener database.Tightener) error {
	for {
		var columns []database.Tightened
		for i := range p.Columns {
			c := &p.Columns[i]
			if c.tightened.Was.Default && (c.tightened.Rewritten() || c.tightened.Rounded()) {
				p.leave(c, "has a default")
			}
			if c.Changes {
				columns = append(columns, c.tightened)
			}
		}
		steps, why, err := tightener.Tighten(ctx, p.Table, columns, p.Key)
		if err != nil {
			return err
		}
		again := steps.NoKey && len(p.Key) > 0
		if steps.NoKey {
			p.Key = []string{}
		}
		for i := range p.Columns {
			c := &p.Columns[i]
			if c.Changes && why[c.Name] != "" {
				p.leave(c, why[c.Name])
				again = true
			}
		}
		if again {
			continue
		}
		p.steps = steps
		if len(columns) > 0 || len(p.Key) > 0 {
			p.Statements = steps.Script(to.Dialect())
		}
		p.plan = &table.Table{Name: p.Table, Key: p.Key}
		for i := range p.Columns {
			p.plan.Columns = append(p.plan.Columns, p.Columns[i].tightened.Column)
		}
		return nil
	}
}

// Changes returns how many columns would change.
func (p *Proposal) Changes() (n int) {
	for _, c := range p.Columns {
		if c.Changes {
			n++
		}
	}
	return n
}

// DoubtError says why a table was left unchanged.
type DoubtError struct{ Table, What string }

func (e *DoubtError) Error() string {
	return fmt.Sprintf("table %s is unchanged: %s", e.Table, e.What)
}
