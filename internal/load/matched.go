package load

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/intake"
	"ambertray/internal/note"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// Match says which columns of a table the headings of a source were matched to.
type Match struct {
	Columns []MatchedColumn `json:"columns"`
	// Without are the headings that the table has no column for. They are left out.
	Without []Unmatched `json:"without"`
	// Unfilled are columns of the table that get no value, and need one.
	Unfilled []string `json:"unfilled"`
}

// MatchedColumn is a heading and its column.
type MatchedColumn struct {
	Heading string `json:"heading"`
	Column  string `json:"column"`
	By      Means  `json:"by"`
}

// Means is what a heading was matched to a column by.
type Means string

// A heading is the name of the column, is like it, has values of a type that only this
// column has, or has the same place.
const (
	ByName     Means = "name"
	ByLikeness Means = "likeness"
	ByValues   Means = "values"
	ByPosition Means = "position"
)

// Unmatched is a heading without a column, and the columns that come nearest. Unsupported is
// the type of a column with the same name, if that type is not supported.
type Unmatched struct {
	Heading     string   `json:"heading"`
	Nearest     []string `json:"nearest"`
	Unsupported *string  `json:"unsupported"`
}

// MatchNames gives a plan that was drafted from a source the columns of an existing
// table that have their names, with the types of the table. It leaves out the others
// of the source and returns their headings.
func MatchNames(ctx context.Context, t *tray.Tray, to database.Target) (without []string, err error) {
	live, err := database.LiveColumns(ctx, to, t.Table.Name)
	if err != nil {
		return nil, err
	}
	m := newMatching(t, live, to)
	m.byName()
	match := m.finish()
	err = m.adoptKey(ctx, t)
	if err != nil {
		return nil, err
	}
	for i := range t.Table.Columns {
		t.Table.Columns[i].Nullable = true // of a table that is only compared
	}
	for _, u := range match.Without {
		without = append(without, u.Heading)
	}
	return without, nil
}

// NoMatchError says that no heading of a source was matched to a column of a table.
type NoMatchError struct {
	Table    string
	Headings []string // of the source
	Columns  []string // of the table
}

func (e *NoMatchError) Error() string {
	return fmt.Sprintf("no heading of the source was matched to a column of table %s: the headings are %s, the columns %s", e.Table, note.Names(e.Headings), note.Names(e.Columns))
}

// MatchTable drafts a plan for an existing table: by the names of its columns, by
// their likeness, and by the values that fit only one, or by their order if the plan says so.
// Rows are to be appended. Without any match the error is a NoMatchError.
func MatchTable(ctx context.Context, t *tray.Tray, to database.Target) (*Match, error) {
	live, err := database.LiveColumns(ctx, to, t.Table.Name)
	if err != nil {
		return nil, err
	}
	m := newMatching(t, live, to)
	if t.Table.ByPosition {
		m.byPosition()
	} else {
		m.byName()
		m.byLikeness()
		m.byValues()
	}
	t.Table.Existing, t.Table.ByPosition = table.Append, false // the plan has the names of the table now
	match := m.finish()
	if len(match.Columns) > 0 {
		return match, m.adoptKey(ctx, t)
	}
	none := &NoMatchError{Table: t.Table.Name}
	for _, u := range match.Without {
		none.Headings = append(none.Headings, u.Heading)
	}
	for _, l := range live {
		none.Columns = append(none.Columns, l.Name)
	}
	return match, none
}

// matching matches the columns of a draft to those of a table.
type matching struct {
	plan    *table.Table
	tighter map[string]table.Column // the plan of a column for most of its values, by its heading
	untyped map[string]bool         // the headings without a value
	live    []database.ColumnInfo
	to      database.Target
	of      map[int]int // the column of the table by that of the draft
	by      map[int]Means
	// unsupported are the types of columns with the same names that are not supported, by the
	// column of the draft. These columns of the draft are not matched to others.
	unsupported map[int]*string
}

func newMatching(t *tray.Tray, live []database.ColumnInfo, to database.Target) *matching {
	return &matching{plan: &t.Table, tighter: t.Tighter, untyped: t.Untyped, live: live, to: to, of: map[int]int{}, by: map[int]Means{}, unsupported: map[int]*string{}}
}

func (m *matching) pair(column, live int, by Means) { m.of[column], m.by[column] = live, by }

// open returns the columns of the draft, and those of the table that take values, that
// are not matched yet.
func (m *matching) open() (columns, live []int) {
	for i := range m.plan.Columns {
		_, ok := m.of[i]
		if !ok && !m.plan.Columns[i].LeaveOut && m.unsupported[i] == nil {
			columns = append(columns, i)
		}
	}
	taken := map[int]bool{}
	for _, at := range m.of {
		taken[at] = true
	}
	for i := range m.live {
		if !taken[i] && m.live[i].Known {
			live = append(live, i)
		}
	}
	return columns, live
}

func (m *matching) byPosition() {
	columns, _ := m.open()
	for n, i := range columns {
		at := position(m.live, n)
		switch {
		case at < 0:
		case m.live[at].Known:
			m.pair(i, at, ByPosition)
		default:
			m.unsupported[i] = &m.live[at].Native
		}
	}
}

func (m *matching) byName() {
	columns, live := m.open()
	for _, i := range columns {
		c := &m.plan.Columns[i]
		named := func(l database.ColumnInfo) bool {
			return strings.EqualFold(l.Name, c.Name) || strings.EqualFold(l.Name, c.From)
		}
		at := slices.IndexFunc(live, func(at int) bool { return named(m.live[at]) })
		if at >= 0 {
			m.pair(i, live[at], ByName)
			continue
		}
		at = slices.IndexFunc(m.live, func(l database.ColumnInfo) bool { return !l.Known && named(l) })
		if at >= 0 {
			m.unsupported[i] = &m.live[at].Native
		}
	}
}

func (m *matching) byLikeness() {
	columns, _ := m.open()
	for _, i := range columns {
		c := &m.plan.Columns[i]
		_, live := m.open()
		var names []string
		for _, at := range live {
			if m.takes(at, c) {
				names = append(names, m.live[at].Name)
			}
		}
		like := intake.Likest(c.Name, names)
		at := slices.IndexFunc(live, func(at int) bool { return m.live[at].Name == like })
		if like != "" && at >= 0 {
			m.pair(i, live[at], ByLikeness)
		}
	}
}

// byValues matches what is left where a heading has values for one column only, and no
// other heading has.
func (m *matching) byValues() {
	columns, live := m.open()
	for _, i := range columns {
		at, others := -1, 0
		for _, l := range live {
			if m.sameSort(l, &m.plan.Columns[i]) {
				at = l
				others++
			}
		}
		if others != 1 {
			continue
		}
		rivals := slices.DeleteFunc(slices.Clone(columns), func(o int) bool { return o == i || !m.sameSort(at, &m.plan.Columns[o]) })
		if len(rivals) == 0 {
			m.pair(i, at, ByValues)
		}
	}
}

// takes reports whether a column of the table can hold the values of one of the draft.
func (m *matching) takes(live int, c *table.Column) bool {
	l := &m.live[live]
	return !l.Generated && (l.Type == nil || holds(*l.Type, c.Type))
}

// sameSort reports whether both have values of one sort: whole numbers, or the same kind.
// That both are texts says nothing.
func (m *matching) sameSort(live int, c *table.Column) bool {
	l := m.live[live].Type
	if l == nil || m.live[live].Default || !m.takes(live, c) { // the server has a value for an identity column
		return false
	}
	return l.Kind == c.Type.Kind && !l.Textual() || l.Whole() && c.Type.Whole()
}

// finish gives the columns of the draft the names and types of the table's, and leaves
// out those without one.
func (m *matching) finish() *Match {
	res := &Match{Columns: []MatchedColumn{}, Without: []Unmatched{}, Unfilled: []string{}}
	key := map[string]string{} // the columns of the draft and of the table
	for i := range m.plan.Columns {
		c := &m.plan.Columns[i]
		if c.LeaveOut {
			continue
		}
		at, ok := m.of[i]
		if !ok {
			res.Without = append(res.Without, Unmatched{c.From, m.nearest(c), m.unsupported[i]})
			*c = table.Column{From: c.From, LeaveOut: true}
			continue
		}
		key[c.Name] = m.live[at].Name
		m.match(c, &m.live[at])
		res.Columns = append(res.Columns, MatchedColumn{c.From, c.Name, m.by[i]})
	}
	_, unfilled := m.open()
	for _, at := range unfilled {
		l := &m.live[at]
		if !l.Nullable && !l.Default && !l.Generated {
			res.Unfilled = append(res.Unfilled, l.Name)
		}
	}
	for i, name := range m.plan.Key {
		m.plan.Key[i] = key[name]
		c := m.plan.Column(key[name])
		if c == nil || !m.to.Dialect().MayBeKey(c.Type) {
			m.plan.Key = nil
			break
		}
	}
	return res
}

// adoptKey replaces the drafted key by that of the table: the primary key, or else the first unique key whose columns
// are in the plan and not nullable.
func (m *matching) adoptKey(ctx context.Context, t *tray.Tray) error {
	keys, err := database.UniqueKeys(ctx, m.to, m.plan.Name)
	for _, k := range keys {
		unfit := func(name string) bool {
			at := slices.IndexFunc(m.live, func(l database.ColumnInfo) bool { return l.Name == name })
			c := m.plan.Column(name)
			return at < 0 || m.live[at].Nullable && !k.Primary || c == nil || !m.to.Dialect().MayBeKey(c.Type)
		}
		if !slices.ContainsFunc(k.Columns, unfit) {
			m.plan.Key, t.Notes["key"] = k.Columns, []string{"the key of the table"}
			return nil
		}
	}
	return err
}

// formatAs returns the format in which dates or timestamps of a column are read as the other of these
// types, "" for the standard one.
func formatAs(c *table.Column, kind table.Kind) string {
	switch {
	case c.Format == "":
	case c.Type.Kind == table.Date && kind == table.Timestamp:
		return c.Format + " HH:mm:ss"
	case c.Type.Kind == table.Timestamp && kind == table.Date:
		f, err := value.ParseFormat(c.Format, value.Timestamp)
		if err == nil {
			return f.WithoutTime().String()
		}
	}
	return ""
}

// Adopt gives a plan that was just drafted the key of an existing table, to which its rows are to be added,
// and its columns the names of that which are their headings, and its types where those of the draft do not
// fit. It returns a note that names these.
func Adopt(ctx context.Context, t *tray.Tray, to database.Target) ([]note.Note, error) {
	if to == nil || t.Table.Existing == table.Refuse || t.Table.Existing == table.Rebuild {
		return nil, nil
	}
	exists, err := to.Exists(ctx, t.Table.Name)
	if err != nil || !exists {
		return nil, err
	}
	live, err := database.LiveColumns(ctx, to, t.Table.Name)
	if err != nil {
		return nil, err
	}
	m := newMatching(t, live, to)
	if !t.Table.ByPosition {
		m.adoptNames(t)
	}
	var adopted []string
	columns, _ := m.open()
	for n, i := range columns {
		c := &t.Table.Columns[i]
		drafted, fitted := *c, *c
		at := indexOf(c, n, live, t.Table.ByPosition)
		if at < 0 || fitColumn(&fitted, &live[at], to.Dialect()) == "" || !m.readsMost(c, &live[at]) {
			continue
		}
		m.match(c, &live[at])
		c.Name, c.Nullable = drafted.Name, drafted.Nullable && c.Nullable
		t.Notes[c.Name] = []string{"the type of the table; the draft alone would be " + drafted.Type.String()}
		adopted = append(adopted, fmt.Sprintf("%s %s, not %s", c.Name, c.Type, drafted.Type))
	}
	err = m.adoptKey(ctx, t)
	if adopted == nil || err != nil {
		return nil, err
	}
	return []note.Note{note.About("types of the table that differ from those of the draft: " + strings.Join(adopted, "; "))}, nil
}

// adoptNames renames columns to columns of the table that are named like their headings, such as "Loan No", if the
// table does not have the drafted name.
func (m *matching) adoptNames(t *tray.Tray) {
	named := func(name string) int {
		return slices.IndexFunc(m.live, func(l database.ColumnInfo) bool { return strings.EqualFold(l.Name, name) })
	}
	columns, _ := m.open()
	for _, i := range columns {
		c := &m.plan.Columns[i]
		at := named(strings.TrimSpace(c.From))
		if at < 0 || named(c.Name) >= 0 {
			continue
		}
		was, name := c.Name, m.live[at].Name
		c.Name, t.Notes[name] = name, t.Notes[was]
		for k := range m.plan.Key {
			if m.plan.Key[k] == was {
				m.plan.Key[k] = name
			}
		}
	}
}

// readsMost reports whether most values of a column that does not fit one of the table can be read as
// values of that: as text, as dates with a time of day or without, or as most of them are written. A column
// without a value can be read as anything.
func (m *matching) readsMost(c *table.Column, l *database.ColumnInfo) bool {
	if !l.Known || l.Generated || l.Type == nil {
		return false
	}
	if l.Type.Textual() || formatAs(c, l.Type.Kind) != "" || m.untyped[c.From] {
		return true
	}
	most, ok := m.tighter[c.From]
	return ok && fitColumn(&most, l, m.to.Dialect()) == ""
}

// maxNearest is how many candidates are named.
const maxNearest = 3

// nearest returns the columns of the table that are free and take the values.
func (m *matching) nearest(c *table.Column) []string {
	_, live := m.open()
	names := []string{}
	for _, at := range live {
		if m.takes(at, c) && len(names) < maxNearest {
			names = append(names, m.live[at].Name)
		}
	}
	return names
}

// match gives a column the type of the table's. Where the draft has taken its values for
// something else, they are read as that type: as most of them are written, if most are of it.
func (m *matching) match(c *table.Column, l *database.ColumnInfo) {
	info := *l
	info.Generated = false // it may be compared
	drafted, fits := m.fitted(*c, &info)
	most, known := m.tighter[c.From]
	mostFits := false
	if known && !fits {
		most, mostFits = m.fitted(most, &info)
	}
	switch {
	case fits || l.Type == nil:
		*c = drafted
	case mostFits:
		most.NullWords = c.NullWords
		*c = most
	default:
		as := table.Column{From: c.From, Type: *l.Type, Format: formatAs(c, l.Type.Kind), NullWords: c.NullWords}
		if as.Type.Summable() && !m.untyped[c.From] { // some of its values are no numbers, so that the draft has not settled this
			as.Thousands = ","
		}
		*c = as
	}
	c.Name, c.Nullable = l.Name, l.Nullable
}

// fitted returns a column with the type of the table's, if its values fit that. A boolean stays one: a load reads
// its words as numbers where the table has these.
func (m *matching) fitted(c table.Column, l *database.ColumnInfo) (table.Column, bool) {
	planned := c
	fits := fitColumn(&c, l, m.to.Dialect()) == ""
	if fits && planned.Type.Kind == table.Boolean {
		return planned, true
	}
	return c, fits
}
