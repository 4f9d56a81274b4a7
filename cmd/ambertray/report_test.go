package main_test

import (
	"context"
	"encoding/csv"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// TestReport opens the pages of a source and of its tray in a browser, wide and narrow.
func TestReport(t *testing.T) {
	d := newDesk(t)
	hostile := `<script>document.title='taken'</script>`
	d.write("odd.csv", "no,\"<img src=x onerror=\"\"document.title='taken'\"\">\",mass\n"+strings.Repeat("1,\""+hostile+"\",1.5\n2,\"'\"\" --><b>\u202e\x07\",x\n", 40)+"3,"+strings.Repeat("W", 3000)+",2\n")
	d.run(0, "report", "odd.csv")
	d.run(3, "load", "loans.csv", "--to", "museum.db")
	out, _ := d.run(0, "report", "loans.tray", "--to", "museum.db")
	require.Contains(t, out, "180 rows = 175 loaded + 4 rejected + 1 skipped")
	_, errOut := d.run(1, "report", "loans.tray")
	require.Contains(t, errOut, "loans.html already exists; not overwritten: add --replace")
	d.run(0, "report", "specimens.csv")

	receipt := d.json(3, "load", "loans.csv", "--to", "other.db", "--tray", "other.tray", "--change", "key=loan_no")
	kept := receipt["rejects"].(map[string]any)["file"].(string)
	d.write(kept, strings.ReplaceAll(d.read(kept), "31/02/2026", "28/02/2026"))
	d.run(3, "mend", "other.tray", "--to", "other.db")
	out, _ = d.run(0, "report", "other.tray", "--to", "other.db")
	require.Contains(t, out, "175 rows loaded, 4 records rejected, 3 left to mend; every row proved")
	d.run(0, "undo", receipt["id"].(string), "--to", "other.db")
	d.run(0, "report", "other.tray", "--replace")
	d.run(3, "load", "loans.csv", "--to", "less.db", "--tray", "less.tray")
	on(t, filepath.Join(d.dir, "less.db"), "DELETE FROM loans WHERE loan_no > '01000'")
	out, _ = d.run(0, "report", "less.tray", "--to", "less.db", "--out", "less.html")
	require.Regexp(t, "the table now has [0-9]+ rows; load 0001 loaded 175", out)
	on(t, filepath.Join(d.dir, "other.db"), "DROP TABLE loans")
	out, _ = d.run(0, "report", "other.tray", "--to", "other.db", "--out", "dropped.html")
	require.Contains(t, out, "other.db has no table loans; the plan takes 175 of 179 records")

	browser := newBrowser(t)
	for page, wants := range map[string][]string{
		"odd.html":       {hostile, "81 read = 81 to load"},
		"loans.html":     {"180 read = 175 loaded + 4 rejected + 1 skipped", "every row proved", "no such date", "31/02/2026", "The table as it is in museum.db, with 175 rows", "The ledger of museum.db", "Müller & Søn, conservators"},
		"other.html":     {"the last load was undone; the plan takes 175 of 179 records", "undone"},
		"specimens.html": {"1,204 read", "not loaded yet; the plan takes every record", "a code, not a number"},
	} {
		for _, width := range []int64{1280, 800} {
			seen := browser.open(filepath.Join(d.dir, page), width)
			for _, want := range wants {
				require.Contains(t, seen.Text, want, page)
			}
			require.Empty(t, seen.Complaints, page)
			require.LessOrEqual(t, seen.Scroll, width, "%s scrolls sideways at %d", page, width)
			require.Contains(t, seen.Title, ": report", "nothing in the data may run")
			require.Zero(t, seen.Fetched, "%s needs something beside it", page)
		}
	}
	require.Positive(t, browser.open(filepath.Join(d.dir, "specimens.html"), 1280).Pictures)
}

// TestDictionary writes the data dictionary alone, for people and for programs.
func TestDictionary(t *testing.T) {
	d := newDesk(t)
	d.write("odd.csv", "no,=1+1,a|b\n1,x,y\n2,,z\n")
	out, _ := d.run(0, "report", "odd.csv", "--dictionary")
	require.Contains(t, out, `| a\_b | a\|b |`)
	d.run(0, "report", "odd.csv", "--dictionary", "--out", "dictionary.csv")
	rows, err := csv.NewReader(strings.NewReader(d.read("dictionary.csv"))).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 4)
	require.Equal(t, []string{"name", "heading", "type", "null", "key", "comment"}, rows[0])
	require.Equal(t, []string{"'=1+1", "yes"}, []string{rows[2][1], rows[2][3]}, "a spreadsheet must not run it")
}

// browser is a headless one.
type browser struct {
	testing.TB
	ctx context.Context
}

func newBrowser(t testing.TB) *browser {
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox, chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true))
	ctx, stop := chromedp.NewExecAllocator(context.Background(), options...)
	t.Cleanup(stop)
	ctx, stop = chromedp.NewContext(ctx)
	t.Cleanup(stop)
	ctx, stop = context.WithTimeout(ctx, 2*time.Minute)
	t.Cleanup(stop)
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate("about:blank")))
	b := &browser{t, ctx}
	faulty := filepath.Join(t.TempDir(), "faulty.html")
	require.NoError(t, os.WriteFile(faulty, []byte(`<p>x</p><script>console.error("heard")</script><img src="nowhere.png">`), 0o600))
	require.Len(t, b.open(faulty, 800).Complaints, 2, "what a page complains of is heard")
	return b
}

// seen is what a browser makes of a page.
type seen struct {
	Title, Text       string
	Scroll            int64 // how wide it is
	Pictures, Fetched int
	Complaints        []string
}

const look = `({Title: document.title, Text: document.body.innerText, Scroll: document.documentElement.scrollWidth,
	Pictures: document.querySelectorAll('svg rect, svg path').length,
	Fetched: performance.getEntriesByType('resource').filter(e => !e.name.startsWith('data:')).length})`

func (b *browser) open(path string, width int64) seen {
	b.Helper()
	tab, stop := chromedp.NewContext(b.ctx)
	defer stop()
	var heard sync.Mutex
	var complaints []string
	hear := func(text string) {
		heard.Lock()
		defer heard.Unlock()
		complaints = append(complaints, text)
	}
	require.NoError(b, chromedp.Listen(tab, func(event any) {
		switch e := event.(type) {
		case *runtime.EventConsoleAPICalled:
			hear(string(e.Type))
		case *runtime.EventExceptionThrown:
			hear(e.ExceptionDetails.Text)
		case *log.EventEntryAdded:
			hear(e.Entry.Text)
		}
	}))
	require.NoError(b, chromedp.Do(tab, chromedp.EmulateViewport(width, 800), chromedp.Navigate("file://"+path)))
	s, err := chromedp.Run(tab, chromedp.Evaluate[seen](look))
	require.NoError(b, err)
	heard.Lock()
	defer heard.Unlock()
	s.Complaints = complaints
	return s
}
