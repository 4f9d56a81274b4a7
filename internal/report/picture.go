package report

import (
	"bytes"
	"fmt"
	"html/template"
	"image/color"
	"regexp"
	"strings"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgsvg"
)

// amber stands for a variable of the page, which has one value for light and one for dark.
var amber = color.NRGBA{R: 1, G: 1, B: 1, A: 255}

const amberInSVG = "#010101"

// svgHead is what stands before the drawing, and says how large it is on paper.
var svgHead = regexp.MustCompile(`(?s)^.*?<svg[^>]*viewBox="([^"]*)"[^>]*>`)

// drawn returns a plot as SVG that takes the width that it is given.
func drawn(p *plot.Plot, width, height vg.Length, title string) (template.HTML, error) {
	canvas := vgsvg.New(width, height)
	p.Draw(draw.New(canvas))
	var buf bytes.Buffer
	_, err := canvas.WriteTo(&buf)
	if err != nil {
		return "", err
	}
	head := fmt.Sprintf(`<svg viewBox="$1" role="img"><title>%s</title>`, strings.ReplaceAll(template.HTMLEscapeString(title), "$", "$$"))
	return template.HTML(svgHead.ReplaceAllString(strings.ReplaceAll(buf.String(), amberInSVG, "var(--amber)"), head)), nil
}

// picture draws the ranges of a column as a histogram.
func (s *Shape) picture() (template.HTML, error) {
	p := plot.New()
	p.BackgroundColor = color.Transparent
	var counts plotter.Values
	for _, b := range s.Ranges {
		counts = append(counts, float64(b.Count))
	}
	const width, height = 300, 80
	bars, err := plotter.NewBarChart(counts, vg.Length(width)*0.8/vg.Length(len(counts)))
	if err != nil {
		return "", err
	}
	bars.Color, bars.LineStyle.Width = amber, 0
	p.Add(bars)
	p.Y.Min = 0
	p.HideAxes()
	return drawn(p, width, height, s.What+" from "+s.Ranges[0].Label+" to "+s.Ranges[len(s.Ranges)-1].To)
}

// Ticks are the labels below a histogram: where it begins, its middle and its end.
func (s *Shape) Ticks() []string {
	last := len(s.Ranges) - 1
	ticks := []string{s.Ranges[0].Label, s.Ranges[last].To}
	if last >= 4 {
		ticks = []string{ticks[0], s.Ranges[(last+1)/2].Label, ticks[1]}
	}
	return ticks
}

// longest is how many characters of a name or a value are shown in little room.
const longest = 32

// short cuts a value at its end.
func short(text string) string {
	r := []rune(text)
	if len(r) > longest {
		return string(r[:longest-1]) + "…"
	}
	return text
}
