package fixed

import (
	"bytes"

	"ambertray/internal/frame"
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
	if set {
		found.titles = 0
	}
	lay.Columns = formatPlaces(found.columns)
	override(&lay)
	lay.Fix()
	c, err := newCutter(lay)
	if err != nil || lay.Columns == "" {
		return lay, 0
	}
	h := headOf(c, head, whole, &lay, found.titles)
	if !set && c.joinColumns(&h, &lay, found) {
		found.columns = c.places
		lay.Columns = formatPlaces(c.places)
		h = headOf(c, head, whole, &lay, found.titles)
	}
	share, wide := found.share(1), found.share(2) == 1
	enough := manyAligned
	if wide && (h.Width > 2 || found.fillsLast()) {
		enough = manyWide
	}
	score := rate(&h, enough)
	switch {
	case set:
		score = 2 // there is nothing to compare
	case share < blankShare, !found.ruled && hasQuotes(&h):
		score = 0
	case share >= ruledShare && found.ruled:
		score = 1.9 // whatever signs the cells have
	case share == 1 && (found.headed && (score > 0 || len(found.columns)*len(found.lines) >= manyHeaded) || found.headsAll()):
		score = 1.5 // more than a cut at spaces
	case score > 0 && wide:
		score += 0.24 // more than a cut at spaces, which leaves out blank cells, that is not even
	case share == 1 && len(found.lines) >= manyAligned:
		score += 0.22
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

// headOf cuts the head, and finds the header below the titles.
func headOf(c *cutter, head []byte, whole bool, lay *source.Layout, titles int) frame.Head {
	h := frame.NewHead(text.CutText(c, head, whole))
	h.SkipTitles(titles)
	h.BySpaces = true
	h.Comments = text.CommentsOf(c)
	h.FindHeader(lay)
	return h
}

// hasQuotes reports whether a column is in quotes in all rows: a delimiter separates such cells.
func hasQuotes(h *frame.Head) bool {
	for c := range h.Width {
		r := h.First
		for r < h.Rows.Len() && len(h.Cell(r, c)) > 1 && h.Cell(r, c)[0] == '"' && bytes.HasSuffix(h.Cell(r, c), []byte{'"'}) {
			r++
		}
		if r == h.Rows.Len() && h.First < r {
			return true
		}
	}
	return false
}

// joinColumns joins to the column before it each one that belongs to it, and reports whether it
// did. Below a header, such a column has no heading. It has a value in less than half of the
// lines, or a single blank before most values: in a short text, blanks between words may stand
// below each other, and a date is as far from a time of day in every line. A column whose heading
// would be cut from the one before belongs to it as well, if a single blank is there before most
// values. Without a header, most columns have to be wide apart and this one close to the one before
// in all lines. The two are a date and a time of day, or a text and a value in less than half of
// the lines.
func (c *cutter) joinColumns(h *frame.Head, lay *source.Layout, a aligned) bool {
	header := headerRow(h, lay)
	if h.First >= h.Rows.Len() || header < 0 && 2*a.wide() < len(c.places) {
		return false
	}
	places := c.places[:1:1]
	for i, place := range c.places[1:] {
		filled, close := spacing(h, i+1, place.First)
		rare := 2*filled < h.Rows.Len()-h.First
		belongs := close == filled && (h.Moments(i) || rare && h.HasText(i))
		if header >= 0 {
			belongs = len(h.Cell(header, i+1)) == 0 && (rare || 2*close > filled) || 2*close > filled && cutsWord(h.Rows.Text(header), place.First)
		}
		if belongs {
			places[len(places)-1].End = place.End
		} else {
			places = append(places, place)
		}
	}
	joined := len(places) < len(c.places)
	c.places = places
	return joined
}

// headerRow returns the last row of the header, or -1.
func headerRow(h *frame.Head, lay *source.Layout) int {
	for r := h.First - 1; r >= 0 && lay.HeaderLine > 0; r-- {
		if h.Rows.Line(r) == lay.HeaderLine+lay.HeaderLines-1 {
			return r
		}
	}
	return -1
}

// spacing counts the values of a column that begins at a place, and those of them that a
// single blank separates from the one before.
func spacing(h *frame.Head, column, place int) (filled, close int) {
	for r := h.First; r < h.Rows.Len(); r++ {
		if len(h.Cell(r, column)) > 0 {
			filled++
		}
		if isClose(h.Rows.Text(r), place) {
			close++
		}
	}
	return filled, close
}

// cutsWord reports whether a place is within a word of a line.
func cutsWord(line []byte, place int) bool {
	at := offsetOf(line, 0, place)
	return at >= 1 && at < len(line) && line[at] != ' ' && line[at-1] != ' '
}

// isClose reports whether a single blank stands between two words of a line, the second of
// which begins at a place.
func isClose(line []byte, place int) bool {
	at := offsetOf(line, 0, place)
	return at >= 2 && at < len(line) && line[at] != ' ' && line[at-1] == ' ' && line[at-2] != ' '
}

// rate says how good the columns are: how much the cells below each other are of
// one kind, and a little for more cells. Fewer lines than enough without such a column are text.
func rate(h *frame.Head, enough int) float64 {
	if h.Rows.Len() == 0 || h.Width < 2 {
		return 0
	}
	first := h.FirstFull()
	if h.HeadsTexts(first) || h.CutsMoments() || h.OfOneKind(1) == 0 && h.Rows.Len() < enough {
		return 0
	}
	return 0.5 + 0.4*h.OfOneKind(first+1) + min(float64(h.Width), 50)/500 - 0.3*float64(first)/float64(h.Rows.Len())
}
