package pass_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/dustin/go-humanize"
	"github.com/stretchr/testify/require"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/intake"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/proof"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// plan returns a tray of files, each a text, whose columns are no, a key, and name.
func plan(t *testing.T, texts ...string) *tray.Tray {
	dir := t.TempDir()
	tr := &tray.Tray{Dir: filepath.Join(dir, "finds.tray"), Layout: source.DefaultLayout()}
	for i, text := range texts {
		name := string(rune('a'+i)) + ".csv"
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
		tr.Files = append(tr.Files, name)
	}
	tr.Table = table.Table{Name: "find", Key: []string{"no"}, Columns: []table.Column{
		{From: "no", Name: "no", Type: table.Type{Kind: table.Integer}},
		{From: "name", Name: "name", Type: table.Type{Kind: table.Varchar, Size: 5}, Nullable: true},
	}}
	return tr
}

func open(t *testing.T, tr *tray.Tray) *pass.Pass {
	t.Helper()
	p, err := pass.Open(context.Background(), tr, &source.Opener{})
	require.NoError(t, err)
	t.Cleanup(func() { p.Close() })
	return p
}

// TestRun accounts for every row, file by file.
func TestRun(t *testing.T) {
	tr := plan(t, "no,name\n1,ant\nx,bee\n\n2,grasshopper\n", "no,name\n3,\n4\n")
	p := open(t, tr)
	var numbers []int64
	var progress pass.Progress
	out, err := p.Run(context.Background(), pass.Options{
		Dialect: dialect.PostgreSQL, Block: func(k *convert.Block) error { numbers = append(numbers, k.Numbers...); return nil },
		Progress: func(now pass.Progress) { progress = now },
	})
	require.NoError(t, err)
	require.Equal(t, []int64{6, 5, 2, 3}, []int64{out.Read(), out.Records, out.Loaded, out.Rejects.Total()})
	require.Equal(t, []int64{1, 1}, numbers, "the first of each file")
	require.Equal(t, []table.Figures{{Min: "1", Max: "3", Sum: "4"}, {Nulls: 1, Min: "ant", Max: "ant", Sum: "3"}}, out.Totals.Figures())
	require.Equal(t, [][3]int64{{4, 1, 2}, {2, 1, 1}}, [][3]int64{
		{out.Parts[0].Read, out.Parts[0].Loaded, out.Parts[0].Rejected}, {out.Parts[1].Read, out.Parts[1].Loaded, out.Parts[1].Rejected},
	})
	require.Equal(t, p.Size(), progress.Bytes)
	require.Equal(t, int64(5), progress.Records)
	require.Len(t, out.Parts[0].SHA256, 64)
	sum, err := open(t, tr).ContentOf(context.Background(), 1)
	require.NoError(t, err)
	require.Equal(t, out.Parts[1].Content, sum)
	require.Len(t, p.Names(), 2)
	require.Len(t, p.Parts(), 2)
	require.Empty(t, p.Drift())

	p = open(t, tr)
	require.NoError(t, p.LeaveOut([]int{0}))
	out, err = p.Run(context.Background(), pass.Options{Dialect: dialect.PostgreSQL, NoFigures: true})
	require.NoError(t, err)
	require.Equal(t, int64(2), out.Records)
}

// TestNotes counts records and values that are not loaded as they are written, over all batches
// and files, as the survey counts them.
func TestNotes(t *testing.T) {
	kinds := []string{"%d,ant\n", "%d\n", "%d,N/A\n", "%d,n/a\n", "%d,-\n", "%d,\n", "%d,\"a\"b\"\n", "%d,grasshopper\n", "x%d,N/A\n", "%d,a,b\n"}
	var texts []string
	for part := range 3 {
		text := strings.Builder{}
		text.WriteString("no,name\n")
		for i := range 30_000 {
			fmt.Fprintf(&text, kinds[(i*i+part)%len(kinds)], 1_000_000*(part+1)+i)
		}
		texts = append(texts, text.String())
	}
	tr := plan(t, texts...)
	tr.Layout.FillShort = true
	name := &tr.Table.Columns[1]
	name.NullWords = []string{"N/A", "-"}
	count := func(cells ...string) (n int) {
		for _, text := range texts {
			for line := range strings.Lines(text) {
				_, rest, _ := strings.Cut(line, ",")
				if slices.Contains(cells, rest) && line[0] != 'x' {
					n++
				}
			}
		}
		return n
	}
	read := func() (said []string) {
		out, err := open(t, tr).Run(context.Background(), pass.Options{Dialect: dialect.PostgreSQL})
		require.NoError(t, err)
		for _, n := range out.Notes {
			place := ""
			if n.Source != nil {
				place = fmt.Sprintf("%s %d ", filepath.Base(*n.Source), n.Line)
			}
			said = append(said, place+n.What)
		}
		return said
	}
	short, stray := count(""), count("\"a\"b\"\n")
	words, dashes, blank := count("N/A\n", "n/a\n"), count("-\n"), count("\n")+short
	require.Greater(t, min(short, stray, words, dashes, blank), 3000)
	both := []string{
		humanize.Comma(int64(short)) + " records have fewer cells than columns; the missing cells at the end become NULL",
		"a.csv 6 quote inside a quoted cell; " + humanize.Comma(int64(stray-1)) + " more like it",
	}
	require.Equal(t, append(slices.Clone(both),
		fmt.Sprintf(`"N/A" is read as NULL: %s values`, humanize.Comma(int64(words))),
		fmt.Sprintf(`"-" is read as NULL: %s values`, humanize.Comma(int64(dashes)))), read())
	name.Default = new("ox")
	require.Equal(t, append(slices.Clone(both),
		fmt.Sprintf(`"N/A" is read as the default "ox": %s values`, humanize.Comma(int64(words))),
		fmt.Sprintf(`"-" is read as the default "ox": %s values`, humanize.Comma(int64(dashes))),
		fmt.Sprintf(`blank cells are read as the default "ox": %s values`, humanize.Comma(int64(blank)))), read())
}

// TestLeadingZeros notes numbers that lose leading zeros, unless some have a sign.
func TestLeadingZeros(t *testing.T) {
	const note = "leading zeros are left out, because the column is a number: "
	for _, c := range []struct {
		cells string
		want  []string
	}{
		{"0012 7 00 0 12345678 n/a", []string{note + "2 values"}},
		{"007 000000000000012 n/a 0", []string{note + "2 values"}},
		{"007 -0012 7", nil},
		{"007.5 0.5", nil},
		{"7 n/a", nil},
	} {
		tr := plan(t, "no,name\n"+strings.ReplaceAll(c.cells, " ", ",\n")+",\n")
		tr.Table.Key = nil
		tr.Table.Columns[0].Type = table.Type{Kind: table.Decimal, Size: 20, Scale: 2}
		out, err := open(t, tr).Run(context.Background(), pass.Options{Dialect: dialect.PostgreSQL})
		require.NoError(t, err)
		var said []string
		for _, n := range out.Notes {
			said = append(said, n.What)
		}
		require.Equal(t, c.want, said, c.cells)
	}
}

// TestRefused rejects what a server refused, with the record that has the key first.
func TestRefused(t *testing.T) {
	tr := plan(t, "no,name\n1,ant\n2,bee\n1,cat\n")
	refused := &refusal.List{}
	refused.Add(refusal.Refusal{Where: refusal.Where{Record: 3}, Columns: []string{"no"}, Reason: "duplicate key"})
	o := pass.Options{Dialect: dialect.PostgreSQL, Refused: refused}
	var err error
	o.Keys, err = open(t, tr).Keys(context.Background(), o)
	require.NoError(t, err)
	require.Len(t, o.Keys, 1)
	var rejects []reject.Reject
	o.Block = func(k *convert.Block) error { rejects = append(rejects, k.Rejects...); return nil }
	out, err := open(t, tr).Run(context.Background(), o)
	require.NoError(t, err)
	require.Equal(t, int64(2), out.Loaded)
	require.Equal(t, []string{"first on line 2"}, rejects[0].More)
	require.Equal(t, "duplicate key", rejects[0].Reason)
}

// TestHeadings reads columns that were renamed over the years, and lacks optional ones.
func TestHeadings(t *testing.T) {
	adapted := func(parts ...string) *tray.Tray {
		tr := plan(t, parts...)
		tr.Table.Columns[0].Also = []string{"Number", "id"}
		tr.Table.Columns[1].Optional, tr.Table.Columns[1].Nullable = true, true
		return tr
	}
	figures := func(tr *tray.Tray) []table.Figures {
		out, err := open(t, tr).Run(context.Background(), pass.Options{Dialect: dialect.PostgreSQL})
		require.NoError(t, err)
		require.Zero(t, out.Rejects.Total())
		return out.Totals.Figures()
	}
	require.Equal(t, []table.Figures{{Min: "1", Max: "4", Sum: "10"}, {Nulls: 1, Min: "ant", Max: "cat", Sum: "9"}},
		figures(adapted("no,name\n1,ant\n", "name,Number\nbee,2\n", "id\n3\n", "id,name\n4,cat\n")))
	require.Equal(t, []table.Figures{{Min: "1", Max: "1", Sum: "1"}, {Nulls: 1, Sum: "0"}}, figures(adapted("Number\n1\n")))
	_, err := pass.Open(context.Background(), adapted("no,id,name\n1,1,ant\n"), &source.Opener{})
	require.ErrorContains(t, err, "has both no and id")
	_, err = pass.Open(context.Background(), adapted("nr,nam,fee\n1,ant,2\n"), &source.Opener{})
	require.ErrorContains(t, err, "nr in place of no")
}

// TestPlan refuses sources that are not those of the plan.
func TestPlan(t *testing.T) {
	_, err := pass.Open(context.Background(), plan(t, "no,name,fee\n1,ant,5\n"), &source.Opener{})
	var differ *pass.HeadingsError
	require.ErrorAs(t, err, &differ)
	require.ErrorContains(t, err, "extra column fee")
	require.Empty(t, differ.WrittenAs)
	_, err = pass.Open(context.Background(), plan(t, "\xef\xbb\xbfno;name\r\n1;ant\r\n2;bee\r\n"), &source.Opener{})
	require.ErrorAs(t, err, &differ)
	var settings []string
	for _, w := range differ.WrittenAs {
		settings = append(settings, w.Setting.Key+" "+w.Value)
	}
	require.Equal(t, []string{"delimiter semicolon", "line_end crlf"}, settings)
	_, err = pass.Open(context.Background(), plan(t, "no,name\n1,ant\n", "no,colour\n1,red\n"), &source.Opener{})
	var drift *intake.DriftError
	require.ErrorAs(t, err, &drift)
	_, err = pass.Open(context.Background(), plan(t, "no\n1\n"), &source.Opener{})
	require.ErrorContains(t, err, "missing column name")
	tr := plan(t, "no,name\n1,ant\n")
	tr.Files = []string{"missing-*.csv"}
	_, err = pass.Open(context.Background(), tr, &source.Opener{})
	require.ErrorContains(t, err, "no file matches")
	tr = plan(t, "no,name\n1,ant\n")
	tr.NameParts = "finds-{year}.csv"
	_, err = open(t, tr).Run(context.Background(), pass.Options{Dialect: dialect.PostgreSQL})
	require.ErrorContains(t, err, "is not of the form")
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = open(t, plan(t, "no,name\n1,ant\n")).Run(ctx, pass.Options{Dialect: dialect.PostgreSQL})
	require.ErrorIs(t, err, context.Canceled)
}

// TestKept reads a file of rejects, however a program has saved it.
func TestKept(t *testing.T) {
	ctx, tr := context.Background(), plan(t, "no,name\nx,ant\n2,bee\n")
	tr.Table.Columns = append(tr.Table.Columns, table.Column{Name: "place", Value: "{file}:{line}:{record}:{load}", Type: table.Type{Kind: table.Text}, Nullable: true})
	path := filepath.Join(filepath.Dir(tr.Dir), "rejects.csv")
	headings := []string{"no", "name"}
	read := func(text string) (*pass.Outcome, []string, error) {
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		p, err := pass.OpenKept(ctx, tr, &source.Opener{}, path, headings)
		if err != nil {
			return nil, nil, err
		}
		defer p.Close()
		var rejects []string
		out, err := p.Run(ctx, pass.Options{Dialect: dialect.PostgreSQL, Load: "0007", Block: func(k *convert.Block) error {
			for _, r := range k.Rejects {
				rejects = append(rejects, strings.Join(append([]string{r.Column, r.Value, r.Reason}, r.More...), "|"))
			}
			return nil
		}})
		return out, rejects, err
	}
	source1 := filepath.Join(filepath.Dir(tr.Dir), "a.csv")
	for _, text := range []string{
		"source,record,line,column,value,reason,no,name,original\n" + source1 + ",1,2,no,x,not a number,1,ant,\n",
		"\"source\";record;line;column;value;reason;no;name;original\r\n" + source1 + ";1;2;no;x;not a number;1;ant;\r\n",
	} {
		out, rejects, err := read(text)
		require.NoError(t, err)
		require.Empty(t, rejects)
		require.Equal(t, "a.csv:2:1:0007", out.Totals.Figures()[2].Min)
	}
	_, rejects, err := read("source,record,line,column,value,reason,no,name,original\n" + source1 + ",1,2,no,7,not a number,x,ant,\n" + source1 + ",2,3,,,1 cell; not 2,,,2\n")
	require.NoError(t, err)
	require.Len(t, rejects, 2)
	require.Contains(t, rejects[0], "value", "an edit of the cell that only explains is not ignored")
	require.Equal(t, "||1 cell; not 2", rejects[1], "a record that was not cut stays as it is")
	for text, want := range map[string]string{
		"number,record\n1,2\n": "does not begin with its header",
		"source,record,line,column,value,reason,no,colour,original\na.csv,1,2,no,x,y,1,ant,\n": "colour",
		"source,record,line,column,value,reason,name,no,original\na.csv,1,2,no,x,y,ant,1,\n":   "name",
	} {
		_, _, err = read(text)
		require.ErrorContains(t, err, want)
	}
	require.NoError(t, os.WriteFile(path, []byte("source,record,line,column,value,reason,no,name,original\na.csv,1,2,no,x,y,'=1,ant,\n"), 0o600))
	p, err := pass.OpenKept(ctx, tr, &source.Opener{}, path, headings)
	require.NoError(t, err)
	defer p.Close()
	require.NoError(t, p.Cells(ctx, func(number int64, cells []string) error {
		require.Equal(t, int64(1), number)
		require.Equal(t, "=1", cells[6], "the mark of a formula is removed")
		return nil
	}))
}

// TestShares divides a source, and holds the shares together to be the whole.
func TestShares(t *testing.T) {
	t.Run("plain", func(t *testing.T) { shares(t, func(text string) string { return text }) })
	t.Run("packed", func(t *testing.T) {
		shares(t, func(text string) string {
			var packed bytes.Buffer
			w := gzip.NewWriter(&packed)
			_, err := w.Write([]byte(text))
			require.NoError(t, err)
			require.NoError(t, w.Close())
			return packed.String()
		})
	})
}

func shares(t *testing.T, pack func(string) string) {
	var text strings.Builder
	for i := range 110_000 { // more than is read to look at
		no := 1_000_000 + i
		switch {
		case i%1000 == 0:
			fmt.Fprintf(&text, "%d,\"a\"b\"\n", no)
		case i%7 == 0:
			fmt.Fprintf(&text, "%d,\"a\nb\"\n", no)
		case i%11 == 0:
			fmt.Fprintf(&text, "\n%d,grasshopper\n", no)
		default:
			fmt.Fprintf(&text, "%d,%s\n", no, strings.Repeat("x", i%5))
		}
	}
	tr := plan(t, "no,name\n1,ant\nx,bee\n\n2,\"ox\n\"\n3,too,many\n", "no,name\n", pack("no,name\n"+text.String()))
	type found struct {
		numbers, lines []int64
		proof          proof.Sum
		loaded         int64
	}
	run := func(p *pass.Pass) (f found, err error) {
		hash := proof.NewRowHash(dialect.PostgreSQL.StoredTypes(&tr.Table))
		out, err := p.Run(context.Background(), pass.Options{Dialect: dialect.PostgreSQL, Hash: hash, Block: func(k *convert.Block) error {
			f.numbers = append(f.numbers, k.Numbers...)
			for _, r := range k.Rejects {
				f.lines = append(f.lines, r.Line)
			}
			return nil
		}})
		if err == nil {
			f.proof, f.loaded = out.Proof, out.Loaded
		}
		return f, err
	}
	whole, err := run(open(t, tr))
	require.NoError(t, err)
	name, file := "name", filepath.Join(filepath.Dir(tr.Dir), "c.csv")
	notes := []note.Note{{Counted: true, Source: &file, Line: 2, Column: &name, What: "quote inside a quoted cell; 109 more like it"}}
	for _, size := range []int64{24_999, 60_001, 1 << 40} {
		divided := open(t, tr)
		d, err := divided.Divide(context.Background(), size, nil)
		require.NoError(t, err)
		var sum found
		for _, s := range d.Shares {
			p := open(t, tr)
			require.NoError(t, p.Only(s))
			part, err := run(p)
			require.NoError(t, err)
			require.Equal(t, s.Last-s.After, part.loaded+int64(len(part.lines)))
			sum = found{append(sum.numbers, part.numbers...), append(sum.lines, part.lines...), sum.proof.Plus(part.proof), sum.loaded + part.loaded}
		}
		require.Equal(t, whole, sum, "in shares of %d", size)
		require.Equal(t, int64(110_004), d.Records)
		on, err := divided.DivisionNotes(pass.Options{Dialect: dialect.PostgreSQL}, d, nil)
		require.NoError(t, err)
		require.Equal(t, notes, on)
	}
	d, err := open(t, tr).Divide(context.Background(), 30_000, nil)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, []byte(pack("no,name\n"+strings.Replace(text.String(), "8,xxx", "8,xyx", 1))), 0o600))
	changed := 0
	for _, s := range d.Shares {
		p := open(t, tr)
		require.NoError(t, p.Only(s))
		_, err = run(p)
		if err != nil {
			changed++
			require.ErrorContains(t, err, "records 1 to 30,000 of "+file+" are not those that the load began with")
		}
	}
	require.Equal(t, 1, changed)
}
