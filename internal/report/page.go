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

// Word is what became of the rows that are not rejected or skipped, or would.
func (r *Report) Word() string {
	if r.IsLoad {
		return "loaded"
	}
	return "to load"
}
