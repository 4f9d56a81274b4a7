package report

import (
	"cmp"
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"unicode"

	"github.com/dustin/go-humanize"

	"ambertray/internal/load"
	"ambertray/internal/note"
)

//go:embed page.html
var pageText string

var page = template.Must(template.New("page").Funcs(template.FuncMap{
	"text": visible, "count": count, "bytes": func(n int64) string { return humanize.Bytes(uint64(n)) }, "short": short, "share": share, "percent": percent,
	"picture": (*Shape).picture, "width": width, "base": filepath.Base, "sum": loadSum, "join": strings.Join, "parts": parts, "lines": lines,
}).Parse(pageText))

// Page writes the report as one page of HTML that needs nothing beside it.
func (r *Report) Page(w io.Writer) error { return page.Execute(w, r) }

// visible shows control characters and marks of direction as signs, so that text from a
// source looks like what it is.
func visible(s any) string {
	text, ok := s.(string)
	p, isPointer := s.(*string)
	if isPointer && p != nil {
		text, ok = *p, true
	}
	if !ok {
		return ""
	}
	return strings.Map(func(r rune) rune {
		switch {
		case r < ' ':
			return '␀' + r
		case unicode.IsControl(r), unicode.Is(unicode.Cf, r):
			return unicode.ReplacementChar
		}
		return r
	}, text)
}

// lines is visible for a text of several lines.
func lines(s string) string {
	all := strings.Split(s, "\n")
	for i := range all {
		all[i] = visible(all[i])
	}
	return strings.Join(all, "\n")
}

func count(n any) string {
	switch n := n.(type) {
	case int:
		return humanize.Comma(int64(n))
	case int64:
		return humanize.Comma(n)
	case *int64:
		if n != nil {
			return humanize.Comma(*n)
		}
	}
	return "–"
}

// share is the width of a bar, in percent of the longest.
func share(n int, bars []Bar) string {
	most := slices.MaxFunc(bars, func(a, b Bar) int { return a.Count - b.Count })
	return fmt.Sprintf("%.1f", 100*float64(n)/float64(most.Count))
}

// width is the width of a part of a bar, in percent of the longest bar.
func width(n int64, parts []Part) string {
	most := slices.MaxFunc(parts, func(a, b Part) int { return cmp.Compare(a.Read, b.Read) })
	return fmt.Sprintf("%.2f", 100*float64(n)/float64(max(most.Read, 1)))
}

// percent writes a part of a whole.
func percent(part, whole int64) string {
	switch {
	case whole == 0 || part == 0:
		return "0 %"
	case part == whole:
		return "100 %"
	}
	return fmt.Sprintf("%.3g %%", 100*float64(part)/float64(whole))
}

// loadSum is what a load did with the rows that it read.
func loadSum(r *load.Receipt) string {
	c := r.Counts
	return fmt.Sprintf("%s read = %s loaded + %s rejected + %s skipped", count(c.Read), count(c.Loaded), count(c.Rejected), count(c.Skipped))
}

// parts names the files and sheets of a load.
func parts(r *load.Receipt) string {
	var names []string
	for i := range r.Source {
		names = append(names, r.Source[i].Title())
	}
	return strings.Join(names, ", ")
}

// Verdict says in a few words what is known of the rows: of the last load, if there is
// one.
func (r *Report) Verdict() string {
	last := r.Last()
	switch {
	case last == nil && r.Rejected > 0:
		return fmt.Sprintf("not loaded yet; the plan takes %s of %s", count(r.Loaded), note.Count(r.Records, "record", "records"))
	case last == nil:
		return "not loaded yet; the plan takes every record"
	case !last.Verified:
		return "the last load differed from its source, and was rolled back"
	}
	what := note.Count(last.Counts.Loaded, "row", "rows") + " loaded"
	if last.Counts.Rejected > 0 {
		what += ", " + note.Count(last.Counts.Rejected, "record", "records") + " rejected"
	}
	if last.Verify == load.RowsOnly {
		return what + "; rows counted, not proved"
	}
	return what + "; every row proved"
}

// Word is what became of the rows that are not rejected or skipped, or would.
func (r *Report) Word() string {
	if r.IsLoad {
		return "loaded"
	}
	return "to load"
}

// Good reports whether no load has differed from its source.
func (r *Report) Good() bool { return r.Last() == nil || r.Last().Verified }

// Changed says how the source differs in its number of rows from what the last load of
// these parts read, or "".
func (r *Report) Changed() string {
	last := r.Last()
	if last == nil || last.Mended || last.Counts.Read == r.Read || len(last.LeftOut) > 0 || last.ResumedFrom > 0 {
		return ""
	}
	return fmt.Sprintf("the source now has %s; the last load read %s", note.Count(r.Read, "row", "rows"), count(last.Counts.Read))
}
