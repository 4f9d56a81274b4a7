package fixed

import (
	"ambertray/internal/frame"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/text"
)

// ruledShare is the share of lines that a ruler has to divide between their cells.
const ruledShare = 0.98

// Detect returns the layout of the text that begins with head, and how well it fits:
// 0 for text without columns at fixed places, and otherwise less than any delimiter
// that cuts the lines as evenly. whole says that the text ends there. override,
// unless nil, sets what the user has set.
func Detect(head []byte, whole bool, override func(*source.Layout)) (source.Layout, float64) {
	lay := source.Layout{Format: source.Fixed, LineEnd: text.LineEnd(head), FindFooter: true, Overrides: []string{}}
	if override == nil {
		override = func(*source.Layout) {}
	}
	override(&lay)
	if lay.Format != source.Fixed || lay.Delimiter != "" { // the user has set what another format has
		return lay, -1
	}
	set := lay.Columns != ""
	matter, above := frame.FrontMatter(head)
	head, whole = text.FirstLines(head[matter:], whole, "\r\n", frame.HeadRows)
	lay.Comment, _ = frame.CommentSign(head)
	found := alignedColumns(frame.WithoutComments(head, lay.Comment))
	lay.Columns = formatColumns(found.columns)
	override(&lay)
	lay.Fix()
	c, err := newCutter(lay)
	if err != nil || lay.Columns == "" {
		return lay, 0
	}
	h := headOf(c, head, whole, &lay)
	if !set && c.joinNameless(&h) {
		lay.Columns = formatColumns(c.places)
		h = headOf(c, head, whole, &lay)
	}
	score := rate(&h)
	switch {
	case set:
		score = 2 // there is nothing to compare
	case found.share < blankShare:
		score = 0
	case found.share == 1 && found.lines >= manyAligned, found.share >= ruledShare && found.ruled:
		score += 0.22 // more than a cut at spaces that is not even
	}
	if lay.HeaderLine > 0 {
		lay.HeaderLine += above
	}
	if lay.FirstDataLine > 0 {
		lay.FirstDataLine += above
	}
	lay.Overrides = lay.Overrides[:0]
	override(&lay)
	return lay, score
}

// headOf cuts the head, and finds the header.
func headOf(c *cutter, head []byte, whole bool, lay *source.Layout) frame.Head {
	h := frame.NewHead(text.CutText(c, head, whole))
	h.BySpaces = true
	h.Comment = lay.Comment
	h.Cut = func(comment []byte) *record.Batch {
		plain := *c
		plain.rules.Comment = nil
		return text.CutText(&plain, comment, true)
	}
	h.FindHeader(lay)
	return h
}

// joinNameless joins to the column before it each one that has no heading, and a
// value in less than half of the lines: in a short text, blanks between words may
// stand below each other. It reports whether it did.
func (c *cutter) joinNameless(h *frame.Head) bool {
	if h.First < 1 || h.First >= h.Rows.Len() {
		return false
	}
	places := c.places[:1:1]
	for i, place := range c.places[1:] {
		filled := 0
		for r := h.First; r < h.Rows.Len(); r++ {
			if len(h.Cell(r, i+1)) > 0 {
				filled++
			}
		}
		if len(h.Cell(h.First-1, i+1)) == 0 && 2*filled < h.Rows.Len()-h.First {
			places[len(places)-1].end = place.end
		} else {
			places = append(places, place)
		}
	}
	joined := len(places) < len(c.places)
	c.places = places
	return joined
}

// rate says how good the columns are: how much the cells below each other are of
// one kind, and a little for more cells. A few lines without such a column are text.
func rate(h *frame.Head) float64 {
	if h.Rows.Len() == 0 || h.Width < 2 {
		return 0
	}
	first := h.FirstFull()
	if h.HeadsTexts(first) || h.CutsMoments() || h.OfOneKind(1) == 0 && h.Rows.Len() < manyAligned {
		return 0
	}
	return 0.5 + 0.4*h.OfOneKind(first+1) + min(float64(h.Width), 50)/500 - 0.3*float64(first)/float64(h.Rows.Len())
}
