// Package term is how results look: aligned, calm, readable without colour.
// Amber marks what matters, red only what was lost or differs.
package term

import (
	"fmt"
	"io"
	"math/big"
	"os"
	"slices"
	"strings"

	"github.com/dustin/go-humanize"
	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
)

const defaultWidth = 100

// Printer writes results to one stream.
type Printer struct {
	out    *cleaner
	colour bool
	width  int
}

// NewPrinter returns a printer to out, in colour and in the window's width
// when out is a terminal that wants colour.
func NewPrinter(out io.Writer) *Printer {
	p := &Printer{out: &cleaner{out: out}, width: 0}
	f, ok := out.(*os.File)
	if ok && term.IsTerminal(int(f.Fd())) {
		p.colour = os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
		p.width = defaultWidth
		w, _, err := term.GetSize(int(f.Fd()))
		if err == nil {
			p.width = w
		}
	}
	return p
}

// Err returns the first error of writing.
func (p *Printer) Err() error { return p.out.err }

// The colours.
var (
	amber = text.Fg256Color(214)
	red   = text.Fg256Color(203)
	faint = text.Fg256Color(245)
)

// Amber marks text.
func (p *Printer) Amber(s string) string { return p.paint(s, amber) }

// Red marks what was lost or differs.
func (p *Printer) Red(s string) string { return p.paint(s, red) }

// Faint takes text back.
func (p *Printer) Faint(s string) string { return p.paint(s, faint) }

// Bold marks a title.
func (p *Printer) Bold(s string) string { return p.paint(s, text.Bold) }

func (p *Printer) paint(s string, c text.Color) string {
	if !p.colour || s == "" {
		return s
	}
	return c.EscapeSeq() + s + text.Reset.EscapeSeq()
}

// Line writes a line.
func (p *Printer) Line(format string, args ...any) { fmt.Fprintf(p.out, format+"\n", args...) }

const labelWidth = 10

// Fact writes a label and its text, wrapped at the window's width. Further lines are aligned with
// the first.
func (p *Printer) Fact(label, format string, args ...any) {
	label = p.Faint(fmt.Sprintf("%-*s", labelWidth, label))
	for line := range strings.SplitSeq(fmt.Sprintf(format, args...), "\n") {
		for l := range strings.SplitSeq(p.Wrap(line, labelWidth+4), "\n") {
			p.Line("  %s %s", label, l)
			label = strings.Repeat(" ", labelWidth)
		}
	}
}

// Next writes what to type next.
func (p *Printer) Next(why, command string) {
	if why != "" && command != "" {
		why += "  "
	}
	p.Line("\n  %s%s", why, p.Amber(command))
}

// Column is how one column of a table looks.
type Column struct {
	Title string
	Right bool
	Max   int  // longer cells are cut, 0 for no limit
	Spare bool // left out where the window is narrow
}

// Table writes rows below titles. In a narrow window spare columns are left out, from the
// right, and the last column is wrapped into the rest.
func (p *Printer) Table(cols []Column, rows [][]string) {
	if len(cols) == 0 {
		return
	}
	rows = clip(cols, rows)
	cols, rows, leftOut := p.leaveOut(cols, rows)
	p.shrink(cols, rows)
	p.wrapLast(cols, rows)
	w := table.NewWriter()
	style := table.StyleDefault
	style.Options = table.OptionsNoBordersAndSeparators
	style.Box.PaddingLeft, style.Box.PaddingRight = "  ", ""
	style.Format = table.FormatOptions{}
	w.SetStyle(style)
	titles := table.Row{}
	var configs []table.ColumnConfig
	for i, c := range cols {
		titles = append(titles, p.Faint(c.Title))
		align := text.AlignLeft
		if c.Right {
			align = text.AlignRight
		}
		configs = append(configs, table.ColumnConfig{Number: i + 1, Align: align, AlignHeader: align})
	}
	w.SetColumnConfigs(configs)
	w.AppendHeader(titles)
	for _, r := range rows {
		cells := table.Row{}
		for _, cell := range r {
			cells = append(cells, cell)
		}
		w.AppendRow(cells)
	}
	for line := range strings.SplitSeq(w.Render(), "\n") {
		p.Line("%s", strings.TrimRight(line, " "))
	}
	if len(leftOut) > 0 {
		p.Line("  %s", p.Faint("in a wider window: "+strings.Join(leftOut, ", ")))
	}
}

// clip returns copies of the rows with long cells cut, and missing ones blank.
func clip(cols []Column, rows [][]string) (out [][]string) {
	for _, r := range rows {
		row := make([]string, len(cols))
		copy(row, r)
		for i := range row {
			row[i] = Printable(row[i])
			limit := cols[i].Max
			if limit > 0 {
				row[i] = Shorten(row[i], limit)
			}
		}
		out = append(out, row)
	}
	return out
}

// lastWidth is the width below which the last column is too narrow to be read.
const lastWidth = 20

// leaveOut leaves out spare columns until the last one has room, and returns their titles.
func (p *Printer) leaveOut(cols []Column, rows [][]string) ([]Column, [][]string, []string) {
	cols = slices.Clone(cols)
	var titles []string
	for i := len(cols) - 1; i >= 0; i-- {
		if p.width == 0 || p.room(cols, rows) >= lastWidth || !cols[i].Spare {
			continue
		}
		if cols[i].Title != "" {
			titles = append([]string{cols[i].Title}, titles...)
		}
		cols = slices.Delete(cols, i, i+1)
		for r := range rows {
			rows[r] = slices.Delete(rows[r], i, i+1)
		}
	}
	return cols, rows, titles
}

// room is the width that the window leaves for the last column.
func (p *Printer) room(cols []Column, rows [][]string) int {
	used := 2
	for i := range cols[:len(cols)-1] {
		used += columnWidth(cols, rows, i) + 2
	}
	return p.width - used
}

func columnWidth(cols []Column, rows [][]string, i int) int {
	wide := text.StringWidthWithoutEscSequences(cols[i].Title)
	for _, r := range rows {
		wide = max(wide, text.StringWidthWithoutEscSequences(r[i]))
	}
	return wide
}

// Other columns are cut until the last one has goodWidth, but none to less than leastWidth.
const (
	goodWidth  = 28
	leastWidth = 12
)

// shrink cuts the widest columns, unless they are of numbers, until the last one has room.
func (p *Printer) shrink(cols []Column, rows [][]string) {
	last := len(cols) - 1
	needed := columnWidth(cols, rows, last)
	if !cols[last].Right {
		needed = min(needed, goodWidth)
	}
	missing := needed - p.room(cols, rows)
	if p.width == 0 || missing <= 0 {
		return
	}
	var widths []int
	for i := range last {
		widths = append(widths, columnWidth(cols, rows, i))
		if cols[i].Right {
			widths[i] = 0
		}
	}
	for ; missing > 0; missing-- {
		widest := slices.Max(append(widths, 0))
		if widest <= leastWidth {
			break
		}
		widths[slices.Index(widths, widest)]--
	}
	for i, w := range widths {
		if w == 0 {
			continue
		}
		cols[i].Title = Shorten(cols[i].Title, w)
		for _, r := range rows {
			r[i] = Shorten(r[i], w)
		}
	}
}

// wrapLast wraps the last column, unless it is one of numbers.
func (p *Printer) wrapLast(cols []Column, rows [][]string) {
	last := len(cols) - 1
	room := p.room(cols, rows)
	if p.width == 0 || room < leastWidth || cols[last].Right {
		return
	}
	for _, r := range rows {
		r[last] = text.WrapSoft(r[last], room)
	}
}

// Wrap breaks text at the window's width, leaving room on the left.
func (p *Printer) Wrap(s string, left int) string {
	if p.width > left+20 {
		return text.WrapSoft(s, p.width-left)
	}
	return s
}

// Shorten cuts text to a width.
func Shorten(s string, width int) string {
	if text.StringWidthWithoutEscSequences(s) <= width {
		return s
	}
	return text.Trim(s, width-1) + "…"
}

var controls = strings.NewReplacer("\n", "⏎", "\r", "␍", "\t", "⇥", "\x1f", " ")

// Printable shows what breaks a line or moves along it as signs. All else that
// could steer the terminal is shown so when it is written.
func Printable(s string) string { return controls.Replace(s) }

// Count writes a number with its thousands grouped.
func Count(n int64) string { return humanize.Comma(n) }

// Grouped writes a number of any length, given as text, with its thousands
// grouped.
func Grouped(number string) string {
	whole, decimals, ok := strings.Cut(number, ".")
	n, isNumber := new(big.Int).SetString(whole, 10)
	if !isNumber {
		return number
	}
	text := humanize.BigComma(n)
	if whole[0] == '-' && text[0] != '-' {
		text = "-" + text // of a number between -1 and 0
	}
	if ok {
		text += "." + decimals
	}
	return text
}

// Amount writes a number and its noun.
func Amount(n int64, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return Count(n) + " " + noun + "s"
}

// Seconds writes a duration.
func Seconds(s float64) string {
	if s < 1 {
		return fmt.Sprintf("%.0f ms", max(1, s*1000))
	}
	return fmt.Sprintf("%.2f s", s)
}

// Bytes writes a size.
func Bytes(n int64) string { return humanize.Bytes(uint64(max(n, 0))) }

// Narrow writes a table of as many columns as the window holds, and says how
// many there are more.
func (p *Printer) Narrow(cols []Column, rows [][]string) {
	fits := len(cols)
	if p.width > 0 {
		used := 0
		for i, c := range cols {
			wide := text.StringWidthWithoutEscSequences(c.Title)
			for _, r := range rows {
				wide = max(wide, min(text.StringWidthWithoutEscSequences(Printable(r[i])), c.Max))
			}
			used += wide + 2
			if used > p.width-2 {
				fits = i
				break
			}
		}
	}
	var cut [][]string
	for _, r := range rows {
		cut = append(cut, r[:fits])
	}
	p.Table(cols[:fits], cut)
	more := len(cols) - fits
	if more > 0 {
		p.Line("  %s", p.Faint(fmt.Sprintf("and %s more", Amount(int64(more), "column"))))
	}
}
