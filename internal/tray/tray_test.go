package tray_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

func write(t *testing.T, text string) string {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "loans.tray")
	require.NoError(t, os.Mkdir(dir, 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "tray.yaml"), []byte(text), 0o600))
	return dir
}

// TestRoundTrip reads what was written, notes and all.
func TestRoundTrip(t *testing.T) {
	want := &tray.Tray{
		Dir: filepath.Join(t.TempDir(), "loans.tray"), Files: []string{"loans, 2026.csv"},
		Layout: source.DefaultLayout(),
		Table: table.Table{Name: "loan", Key: []string{"loan_no"}, Columns: []table.Column{
			{From: "Loan: No #", Name: "loan_no", Type: table.Type{Kind: table.Char, Size: 5}, Trim: true},
			{From: "true", Name: "mass", Type: table.Type{Kind: table.Decimal, Size: 7, Scale: 2}, Nullable: true, Thousands: ",", Decimal: ".", NullWords: []string{"n/a", "-"}},
			{From: "12", Name: "due", Type: table.Type{Kind: table.Date}, Nullable: true, Format: "dd/MM/yyyy"},
			{From: "- x", Nullable: true, LeaveOut: true}, {From: "column_5", Nullable: true, LeaveOut: true, Blank: true},
		}},
	}
	for _, setting := range [][2]string{
		{"encoding", "windows-1252"}, {"delimiter", "\t"}, {"quote", "'"}, {"escape", "backslash"}, {"skip_spaces", "true"}, {"text_formulas", "true"}, {"line_end", "cr"},
		{"comment", "#"}, {"ruler", "true"}, {"header", "3"}, {"footer", "2"}, {"fill_short", "true"},
	} {
		require.NoError(t, want.Layout.Set(setting[0], setting[1]))
	}
	noted := *want
	noted.Notes = map[string][]string{"loan_no": {"a code: not a number # really", "above"}, "key": {"no two alike"}}
	require.NoError(t, noted.Write())
	got, err := tray.Read(want.Dir)
	require.NoError(t, err)
	require.Equal(t, want, got)
	text, err := os.ReadFile(filepath.Join(want.Dir, "tray.yaml"))
	require.NoError(t, err)
	require.Contains(t, string(text), "    # above\n    type: char(5) # a code: not a number # really\n")
}

const head = "tray: 1\nsource:\n  files: [a.csv]\ntable:\n  name: loan\n"

// TestMistakes wants the place and the way out of each mistake.
func TestMistakes(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"empty":                 {"", "tray.yaml:1:1: the tray is empty"},
		"comma in a type":       {head + "columns:\n  - {from: A, name: a, type: decimal(8,2)}\n", `"2)" is taken for a key because of the comma before it`},
		"unknown key":           {head + "  kee: [a]\ncolumns:\n  - {from: A, name: a, type: text}\n", `tray.yaml:6:3: unknown key "kee"; did you mean "key"?`},
		"missing key":           {"tray: 1\nsource:\n  files: [a.csv]\n", `tray.yaml:1:1: key "table" is missing`},
		"repeated key":          {head + "  name: x\n", `6:3: key "name" occurs twice`},
		"version":               {"tray: 9\n", `1:7: unknown word "9"; write 1`},
		"type":                  {head + "columns:\n  - from: A\n    name: a\n    type: integr\n", `tray.yaml:9:11: column a: unknown type "integr"`},
		"type parameters":       {head + "columns:\n  - {from: A, name: a, type: 'decimal(2,5)'}\n", "write decimal(p,s)"},
		"format":                {head + "columns:\n  - {from: A, name: a, type: date, format: DD.MM.YYYY}\n", `unsupported pattern "DD.MM.YYYY"`},
		"format of text":        {head + "columns:\n  - {from: A, name: a, type: text, format: yyyy}\n", "only dates and times have a format"},
		"key column":            {head + "  key: [loan_nr]\ncolumns:\n  - {from: A, name: loan_no, type: text}\n", `6:9: key: no column "loan_nr"; did you mean "loan_no"?`},
		"same name":             {head + "columns:\n  - {from: A, name: a, type: text}\n  - {from: B, name: A, type: text}\n", "8:21: two columns are named A"},
		"no type":               {head + "columns:\n  - {from: A, name: a}\n", `7:5: column "A": needs a name and a type`},
		"all left out":          {head + "columns:\n  - {from: A, leave_out: true}\n", "every column is left out"},
		"existing":              {head + "  existing: smash\n", `existing "smash": write refuse, append, empty, rebuild or merge`},
		"header":                {"tray: 1\nsource:\n  files: [a]\n  header: first\n", `4:11: header "first": write its line number, none`},
		"not a mapping":         {"tray: 1\nsource: a.csv\n", "2:9: write keys and values here"},
		"not a truth":           {head + "columns:\n  - {from: A, nullable: perhaps}\n", "7:25: write true or false"},
		"not YAML":              {"tray: [", "tray.yaml: yaml:"},
		"columns no list":       {head + "columns: all\n", "6:10: columns: write a list"},
		"no files":              {"tray: 1\nsource:\n  files: []\n", "files: write the names of one file or more"},
		"files no list":         {"tray: 1\nsource:\n  files: {a: b}\n", "3:10: write a list here"},
		"decimal sign":          {head + "columns:\n  - {from: A, name: a, type: double, decimal: x}\n", `unknown word "x"; write , or .`},
		"from and value":        {head + "columns:\n  - {from: A, value: '{file}', name: a, type: text}\n", "either from, the heading in the source, or value"},
		"reference":             {head + "columns:\n  - {value: '{fil}', name: a, type: text}\n", `7:13: column a: value: unknown reference {fil}; did you mean "file"?`},
		"brace":                 {head + "columns:\n  - {value: '{file', name: a, type: text}\n", "write a name between { and }"},
		"default":               {head + "columns:\n  - {from: A, name: a, type: date, default: soon}\n", `7:45: column a: default "soon": not a date`},
		"currency":              {head + "columns:\n  - {from: A, name: a, type: integer, currency: shells}\n", `unknown currency "shells"`},
		"percent of text":       {head + "columns:\n  - {from: A, name: a, type: text, percent: true}\n", "only numbers have a percent sign or a currency"},
		"thousands of text":     {head + "columns:\n  - {from: A, name: a, type: text, thousands: ','}\n", "only numbers have separators of thousands and decimals, not text"},
		"decimal of date":       {head + "columns:\n  - {from: A, name: a, type: date, decimal: ','}\n", "not date"},
		"rounded text":          {head + "columns:\n  - {from: A, name: a, type: text, round: true}\n", "only numbers and times are rounded, not text"},
		"key twice":             {head + "  key: [a, a]\ncolumns:\n  - {from: A, name: a, type: text}\n", `key: column "a" is listed twice`},
		"words of text":         {head + "columns:\n  - {from: A, name: a, type: text, true_words: [a], false_words: [b]}\n", "true_words and false_words are for boolean"},
		"word of both":          {head + "columns:\n  - {from: A, name: a, type: boolean, true_words: [a], false_words: [b, A]}\n", "is among both true_words and false_words"},
		"one word":              {head + "columns:\n  - {from: A, name: a, type: boolean, true_words: [a]}\n", "and go together"},
		"thousands":             {head + "columns:\n  - {from: A, name: a, type: integer, thousands: '.'}\n", `"." cannot be both the thousands and the decimal separator`},
		"pad":                   {head + "columns:\n  - {from: A, name: a, type: text, pad_zeros: many}\n", "write a number from 0 to 1000"},
		"control":               {head + "columns:\n  - {from: A, name: \"a\\nb\", type: text}\n", "a name has no control characters"},
		"index column":          {head + "  indexes: [[b]]\ncolumns:\n  - {from: A, name: a, type: text}\n", `indexes: no column "b"`},
		"indexes no lists":      {head + "  indexes: [a]\ncolumns:\n  - {from: A, name: a, type: text}\n", "write a list of lists of columns"},
		"scalar is a list":      {head + "columns:\n  - {from: A, name: [a]}\n", "7:21: write a single value here"},
		"no headings":           {head + "columns:\n  - {from: [], name: a, type: text}\n", "7:12: from: write one heading or more"},
		"lines of two headers":  {strings.Replace(head, "source:\n", "source:\n  first_data_line: 2\n  header: 1\n", 1) + "columns:\n  - {from: A, name: a, type: text}\n", `3:3: header "1" and first_data_line "2" exclude each other`},
		"optional but not null": {head + "columns:\n  - {from: A, name: a, type: text, nullable: false, optional: true}\n", "nullable: true or a default"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := tray.Read(write(t, c.text))
			require.ErrorContains(t, err, c.want)
		})
	}
}

func TestLoads(t *testing.T) {
	tr := &tray.Tray{Dir: filepath.Join(t.TempDir(), "a.tray"), Files: []string{"x.csv", "/y.csv"}}
	_, _, err := tr.LastLoad()
	require.ErrorIs(t, err, os.ErrNotExist)
	for _, want := range []string{"0001", "0002"} {
		id, dir, err := tr.NewLoad()
		require.NoError(t, err)
		require.Equal(t, want, id)
		require.DirExists(t, dir)
	}
	id, _, err := tr.LastLoad()
	require.NoError(t, err)
	require.Equal(t, "0002", id)
	require.Equal(t, []string{filepath.Join(filepath.Dir(tr.Dir), "x.csv"), "/y.csv"}, tr.Paths())
}

// TestRedraft drafts a tray again after a person edited it and the source
// changed.
func TestRedraft(t *testing.T) {
	plan := func(dir, mass string, extra ...table.Column) *tray.Tray {
		number, err := table.ParseType(mass)
		require.NoError(t, err)
		return &tray.Tray{
			Dir: dir, Files: []string{"a.csv"}, Layout: source.DefaultLayout(),
			Table: table.Table{Name: "a", Key: []string{"no"}, Columns: append([]table.Column{
				{From: "No", Name: "no", Type: table.Type{Kind: table.Integer}},
				{From: "Mass", Name: "mass", Type: number, Nullable: true},
				{From: "Note", Name: "note", Type: table.Type{Kind: table.Text}, Nullable: true},
			}, extra...)},
			Notes: map[string][]string{"mass": {"numbers of " + mass}},
		}
	}
	dir := filepath.Join(t.TempDir(), "a.tray")
	require.NoError(t, plan(dir, "decimal(4,1)").Write())
	file := filepath.Join(dir, "tray.yaml")
	before, err := os.ReadFile(file)
	require.NoError(t, err)

	// Nothing has changed: the file stays as it is to the letter.
	_, res, err := plan(dir, "decimal(4,1)").Redraft(nil)
	require.NoError(t, err)
	require.Equal(t, &tray.Redrafted{Kept: []tray.Kept{}, Changed: []tray.Kept{}, Removed: []string{}, Gone: []string{}}, res)
	after, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, string(before), string(after))

	mine := strings.NewReplacer("name: note", "name: remark # better", "name: no\n", "name: no\n    comment: the number\n", "existing: refuse", "existing: refuse").Replace(string(before)) +
		"  - {value: '{file}', name: loaded_from, type: text}\n"
	require.NoError(t, os.WriteFile(file, []byte(mine), 0o600))
	next := plan(dir, "decimal(6,1)", table.Column{From: "New", Name: "new", Type: table.Type{Kind: table.Date}, Nullable: true})
	got, res, err := next.Redraft(nil)
	require.NoError(t, err)
	require.Equal(t, []tray.Kept{{Where: "column Note name", Yours: "remark", Drafted: "note"}}, res.Kept)
	require.Equal(t, []tray.Kept{
		{Where: "column Mass type", Yours: "decimal(4,1)", Drafted: "decimal(6,1)"}, {Where: "column New", Drafted: "new"},
	}, res.Changed)
	require.Equal(t, []string{"no", "mass", "remark", "loaded_from", "new"}, func() (names []string) {
		for _, c := range got.Table.Columns {
			names = append(names, c.Name)
		}
		return names
	}())
	require.Equal(t, "the number", got.Table.Columns[0].Comment)
	after, err = os.ReadFile(file)
	require.NoError(t, err)
	require.Contains(t, string(after), "type: decimal(6,1) # numbers of decimal(6,1)\n")
	require.Contains(t, string(after), "name: remark # better\n")

	// A person's own type stays, and of the columns that went away those that a person has changed.
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(after), "type: decimal(6,1)", "type: integer", 1)), 0o600))
	short := plan(dir, "decimal(7,1)")
	short.Table.Columns = short.Table.Columns[:2]
	got, res, err = short.Redraft(nil)
	require.NoError(t, err)
	require.Equal(t, []tray.Kept{{Where: "column Mass type", Yours: "integer", Drafted: "decimal(7,1)"}}, res.Kept)
	require.Equal(t, []string{"Note"}, res.Gone)
	require.Equal(t, []string{"New"}, res.Removed)
	require.Equal(t, table.Integer, got.Table.Columns[1].Type.Kind)

	// Rules of another type than the person's are not added, and the key follows their names.
	after, err = os.ReadFile(file)
	require.NoError(t, err)
	text := strings.NewReplacer("type: integer\n", "type: varchar(20)\n", "name: no\n", "name: number\n", "key: [no]", "key: [number]").Replace(string(after))
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(text, "type: integer #", "type: varchar(20) #", 1)), 0o600))
	dates := plan(dir, "date")
	dates.Table.Columns[1].Format = "dd/MM/yyyy"
	got, res, err = dates.Redraft(nil)
	require.NoError(t, err)
	require.Empty(t, got.Table.Columns[1].Format)
	require.Equal(t, []string{"number"}, got.Table.Key)
	require.Equal(t, []string{"column No name", "column No type", "column Mass type", "column Note name"}, wheres(res.Kept))
	text, _, _ = strings.Cut(text, "  key:")
	require.NoError(t, os.WriteFile(file, []byte(text+"columns:\n  - {from: No, leave_out: true}\n  - {from: Mass, name: mass, type: text}\n  - {from: Note, name: note, type: text}\n"), 0o600))
	got, _, err = plan(dir, "date").Redraft(nil)
	require.NoError(t, err)
	require.Empty(t, got.Table.Key, "its column is left out")
}

// TestRedraftNeeds drafts a tray again after a person has changed it and the source has lost a column:
// the column may still be needed, and the draft may conflict with a change.
func TestRedraftNeeds(t *testing.T) {
	column := func(heading string, nullable bool) table.Column {
		return table.Column{From: heading, Name: strings.ToLower(heading), Type: table.Type{Kind: table.Integer}, Nullable: nullable}
	}
	for name, c := range map[string]struct {
		old, mine     string
		changes       string
		removed, gone []string
		wrong         string
	}{
		"nothing":  {removed: []string{"B"}},
		"comment":  {old: "  - from: B", mine: "  # why\n  - from: B", gone: []string{"B"}},
		"index":    {old: "  name: a\n", mine: "  name: a\n  indexes: [[b]]\n", gone: []string{"B"}},
		"computed": {old: "columns:\n", mine: "columns:\n  - {value: '{B}', name: of_b, type: text}\n", gone: []string{"B"}},
		"change":   {changes: "b.optional=true", gone: []string{"B"}},
		"optional": {old: "name: a\n    type: integer\n", mine: "name: a\n    type: integer\n    optional: true\n", removed: []string{"B"}},
		"accepted": {old: "name: b\n", mine: "name: b\n    optional: true\n"},
		"left out": {old: "name: b\n", mine: "name: b\n    leave_out: true\n"},
		"typo":     {changes: "a.tyhpe=text", wrong: `unknown key "tyhpe"`},
		"conflict": {old: "name: b\n", mine: "name: c\n", wrong: "cannot be drafted again with what you have changed in it: two columns are named c"},
		"solved":   {old: "name: b\n", mine: "name: c\n", changes: "b.name=d", gone: []string{"B"}},
	} {
		t.Run(name, func(t *testing.T) {
			dir := filepath.Join(t.TempDir(), "a.tray")
			draft := func(columns ...table.Column) *tray.Tray {
				return &tray.Tray{Dir: dir, Files: []string{"a.csv"}, Layout: source.DefaultLayout(), Table: table.Table{Name: "a", Columns: columns}}
			}
			require.NoError(t, draft(column("A", true), column("B", true)).Write())
			file := filepath.Join(dir, "tray.yaml")
			before, err := os.ReadFile(file)
			require.NoError(t, err)
			edited := strings.Replace(string(before), c.old, c.mine, 1)
			require.NoError(t, os.WriteFile(file, []byte(edited), 0o600))
			var changes []tray.Change
			if c.changes != "" {
				change, err := tray.ParseChange(c.changes)
				require.NoError(t, err)
				changes = []tray.Change{change}
			}
			_, res, err := draft(column("A", false), column("C", true)).Redraft(changes)
			if c.wrong != "" {
				require.ErrorContains(t, err, c.wrong)
				after, err := os.ReadFile(file)
				require.NoError(t, err)
				require.Equal(t, edited, string(after))
				return
			}
			require.NoError(t, err)
			require.Equal(t, append([]string{}, c.removed...), res.Removed)
			require.Equal(t, append([]string{}, c.gone...), res.Gone)
			_, err = tray.Read(dir)
			require.NoError(t, err)
		})
	}
}

// TestRedraftCoincides drafts the values that a person has set already, and then others: the person's
// values stay.
func TestRedraftCoincides(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "a.tray")
	draft := func(typ string, nullable bool, key ...string) *tray.Tray {
		number, err := table.ParseType(typ)
		require.NoError(t, err)
		return &tray.Tray{Dir: dir, Files: []string{"a.csv"}, Layout: source.DefaultLayout(), Table: table.Table{Name: "a", Key: key, Columns: []table.Column{
			{From: "A", Name: "a", Type: number, Nullable: nullable}, {From: "B", Name: "b", Type: number, Nullable: true},
		}}}
	}
	require.NoError(t, draft("integer", true).Write())
	file := filepath.Join(dir, "tray.yaml")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	mine := strings.Replace(string(text), "name: a\n    type: integer\n", "name: b\n    type: bigint\n    nullable: false\n", 1)
	mine = strings.NewReplacer("  key: []\n", "  key: [b]\n", "from: B\n    name: b\n", "from: B\n    name: a\n").Replace(mine)
	require.NoError(t, os.WriteFile(file, []byte(mine), 0o600))
	for _, next := range []*tray.Tray{draft("bigint", false, "a"), draft("bigint", false, "a"), draft("smallint", true)} {
		got, _, err := next.Redraft(nil)
		require.NoError(t, err)
		require.Equal(t, []string{"b"}, got.Table.Key)
		require.Equal(t, table.BigInt, got.Table.Columns[0].Type.Kind)
		require.False(t, got.Table.Columns[0].Nullable)
	}
}

func wheres(list []tray.Kept) (all []string) {
	for _, k := range list {
		all = append(all, k.Where)
	}
	return all
}
