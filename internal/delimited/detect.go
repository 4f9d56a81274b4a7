package delimited

import (
	"bytes"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"ambertray/internal/frame"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/text"
	"ambertray/internal/value"
)

// Detect finds out the layout of the text that begins with head; whole says
// that there is no more of it. override, unless nil, sets what the user has set,
// and what depends on it is detected with that.
//
// There are few rules, and they check the whole shape. A dialect is good when
// it cuts most rows into the same number of cells and when the cells below each
// other are of one kind. The first record is the first row whose cells are of
// the kinds of their columns; the header is the fullest row above it, and what
// stands above that is titles.
func Detect(head []byte, whole bool, override func(*source.Layout)) (source.Layout, float64) {
	lay := source.Layout{Format: source.Delimited, LineEnd: text.LineEnd(head), FindFooter: true, Overrides: []string{}}
	lay.Quote, lay.Escape = `"`, source.Doubled
	if override == nil {
		override = func(*source.Layout) {}
	}
	override(&lay)
	if lay.Format != source.Delimited { // the user has set what another format has
		return lay, -1
	}
	matter, above := frame.FrontMatter(head)
	head, whole = text.FirstLines(head[matter:], whole, "\r\n", frame.HeadRows)
	head = append(make([]byte, 0, len(head)+record.Pad), head...) // CutText then makes no copies
	var commentsAbove bool
	lay.Comment, commentsAbove = frame.CommentSign(head)
	lay.Ruler = ruledByCrosses(head)
	lay.TextFormulas = bytes.Contains(head, []byte(value.TextFormulaStart)) && textFormula.Match(head)
	best := bestShape(head, whole, lay, override)
	remarks := frame.WithoutRemarks(head, lay.Comment)
	if remarks != nil {
		best = best.orWithout(head, remarks, whole, lay, override)
	}
	if !commentsAbove && best.layout.Comment != "" {
		best = best.withoutComments(head, whole, override)
	}
	lay = best.layout
	if best.Width < 2 { // its signs delimit nothing
		lay.Delimiter = ""
	}
	// Spaces that no quote follows are left to the rules of their columns.
	lay.SkipSpaces = lay.SkipSpaces && spacesBeforeQuotes(head, &lay)
	lay.TextFormulas = lay.TextFormulas && best.hasFormulas()
	best.FindHeader(&lay)
	if lay.HeaderLine > 0 && best.hasKeys() {
		lay.FirstDataLine, lay.HeaderLine, lay.HeaderLines = lay.HeaderLine, 0, 1
		lay.DescriptionLines, lay.HeaderGuess = 0, false
	}
	lay.Ruler = lay.Ruler || best.layout.Ruler
	best.FindShort(&lay)
	if lay.HeaderLine > 0 {
		lay.HeaderLine += above
	}
	if lay.FirstDataLine > 0 {
		lay.FirstDataLine += above
	}
	lay.Overrides = lay.Overrides[:0]
	override(&lay)
	return lay, max(best.score, 0) // any text can be read as delimited
}

// FirstRow is frame.FirstRow for the text that begins with head.
func FirstRow(head []byte, whole bool, lay *source.Layout, columns int) int64 {
	c, err := newCutter(*lay)
	if err != nil {
		return 1
	}
	head, whole = text.FirstLines(head, whole, "\r\n", frame.HeadRows)
	return frame.FirstRow(text.CutText(c, head, whole), columns)
}

// bestShape returns the shape of the dialect that cuts a text best.
func bestShape(head []byte, whole bool, lay source.Layout, override func(*source.Layout)) (best shape) {
	commas := decimalCommas(head)
	doubled := shape{} // the cut by the same delimiter with quotes that are doubled
	for _, try := range dialects(head, lay) {
		override(&try)
		s := shapeOf(head, whole, try, commas)
		if try.Quote != "" && try.Escape != source.Doubled && try.Escape != source.ServerEscapes && s.misplaced() >= doubled.misplaced() {
			continue // nothing speaks for it
		}
		if best.Rows == nil || s.isBetter(&best) {
			best = s
		}
		if try.Escape == source.Doubled && try.Quote != "" {
			doubled = s
		}
	}
	return best
}

// shape is how a dialect cuts the head.
type shape struct {
	frame.Head
	layout source.Layout
	score  float64
	// decimalCommas says that commas stand before decimals.
	decimalCommas bool
}

func shapeOf(head []byte, whole bool, lay source.Layout, decimalCommas bool) shape {
	s := shape{layout: lay, decimalCommas: decimalCommas}
	c, err := newCutter(lay)
	if err != nil {
		return s
	}
	rows := text.CutText(c, head, whole)
	s.Head = frame.NewHead(rows)
	// The usual number of cells only matters for misplaced quotes, which skipped rows may have too.
	doubtful := len(rows.Oddities) > 0 || rows.Skipped.Total() > 0
	if c.quote != 0 && s.Width > 1 && doubtful {
		c.Width = s.Width
		s.Head = frame.NewHead(text.CutText(c, head, whole)).WithWidth(s.Width)
	}
	s.BySpaces, s.Quote = c.spaces > 0, c.quote
	s.SkipProse()
	s.Comments = text.CommentsOf(c)
	s.Widen()
	s.score = s.rate()
	return s
}

// isBetter reports whether a shape is better than the best so far. Where several spaces cut all
// rows into columns of one kind, a single one is between words. If both have the same score,
// a longer delimiter is better because it leaves no signs in cells, and so are backslash escapes
// because they explain every quote.
func (s *shape) isBetter(best *shape) bool {
	switch {
	case s.layout.Delimiter == source.WideSpaces && best.layout.Delimiter == source.Spaces && s.isEven():
		return s.cutsAll(0) || !best.cutsAll(0)
	case s.score != best.score:
		return s.score > best.score
	}
	is, was := &s.layout, &best.layout
	if is.Delimiter == was.Delimiter && was.Escape == source.ServerEscapes { // for which there is evidence
		return false
	}
	longer := best.Width > 1 && len(is.Delimiter) > len(was.Delimiter) && strings.Contains(is.Delimiter, was.Delimiter)
	return longer || is.Escape == source.Backslash && is.Delimiter == was.Delimiter && is.Quote == was.Quote
}

// hasKeys reports whether the rows, including the first, are keys and values: "room=3", or
// "Room: East Hall" with a space after every colon and texts as values.
func (s *shape) hasKeys() bool {
	switch {
	case s.layout.Delimiter == "=":
		return true
	case s.layout.Delimiter != ":", s.Width != 2, !s.cutsAll(0), s.OfOneKind(1) > 0:
		return false
	}
	for r := range s.Rows.Len() {
		_, after, _ := bytes.Cut(s.Rows.Text(r), []byte(":"))
		if !bytes.HasPrefix(after, []byte(" ")) {
			return false
		}
	}
	return true
}

// cutsAll reports whether all rows from a row on have the usual number of cells.
func (s *shape) cutsAll(from int) bool {
	for r := from; r < s.Rows.Len(); r++ {
		if s.Rows.Width(r) != s.Width {
			return false
		}
	}
	return true
}

// isEven reports whether all rows, perhaps below a title or titles and a blank line, have as many
// cells, three or more, and one column a kind. A header with single spaces is no title.
func (s *shape) isEven() bool {
	first := s.FirstFull()
	for r := range first {
		if len(bytes.Fields(s.Rows.Text(r))) == s.Width && !s.DistinctTexts(first) {
			return false
		}
	}
	return s.cutsAll(first) && (first < 2 || s.Rows.Next(first-1) < s.Rows.Start(first)) && s.Width > 2 && s.OfOneKind(first+1) > 0
}

// rate says how good the cut is: how even from the first full row on, how much
// the cells below each other are of one kind, and a little for more cells. Lines
// that are one value each, below a heading of one word, are not cut. A
// dialect that leaves quotes or spaces at the ends of cells is not the one.
func (s *shape) rate() float64 {
	if s.Rows.Len() == 0 {
		return 0
	}
	first := s.FirstFull()
	even, less, drawn := 0, 0, 0
	for r := first; r < s.Rows.Len(); r++ {
		w := s.Rows.Width(r)
		switch {
		case w == 1 && s.Width > 1 && !s.BySpaces && frame.IsRuler(s.Rows.Text(r)):
			drawn++
		case w == s.Width || s.Short && w > 1 && w < s.Width:
			even++
		case w == s.Width-1 && w > 1 && !s.BySpaces: // the last cell may be left out where it is blank
			less++
		}
	}
	if s.layout.Delimiter == "|" && s.layout.Ruler && s.Width > 1 && even > 1 {
		return 1.95 // whatever else the lines have
	}
	share := (float64(even) + 0.8*float64(less)) / float64(max(1, s.Rows.Len()-first-drawn))
	if s.Width < 2 && (s.OneValueEach() || s.oneQuotedEach()) {
		return 2
	}
	if s.Width < 2 {
		d := s.layout.Delimiter
		if d != "" && d != common[0] {
			share *= 0.9
		}
		return 0.3 * share
	}
	if even < 2 && s.Rows.Len() > 2 && !s.cutsAll(0) {
		share /= 4
	}
	if s.inText(first, share) {
		return 0.1
	}
	score := share + 0.4*s.OfOneKind(first+1) + min(float64(s.Width), 50)/500 - 0.3*float64(first)/float64(s.Rows.Len())
	return score - s.rareness(share) - s.untidy(first) - s.misreadHeader(first) - s.blankColumns(first)
}

// blankColumns returns the loss of a dialect with a column that has neither a heading nor a
// value. A delimiter of one sign makes such columns if the real one consists of two.
func (s *shape) blankColumns(first int) float64 {
	for c := range s.Width {
		r := first
		for r < s.Rows.Len() && (c >= s.Rows.Width(r) || value.Blank(s.Rows.Cell(r, c))) {
			r++
		}
		if r == s.Rows.Len() {
			return 0.02
		}
	}
	return 0
}

// misreadHeader returns the loss of a dialect that leaves single quotes around all headings,
// or that does not separate headings where spaces would. If the first row only has fewer
// cells than the others, the loss is small.
func (s *shape) misreadHeader(first int) (loss float64) {
	quoted := s.Width > 1
	for c := range s.Rows.Width(first) {
		cell := s.Rows.Cell(first, c)
		quoted = quoted && len(cell) > 2 && cell[0] == '\'' && cell[len(cell)-1] == '\''
	}
	if quoted {
		return 0.1
	}
	above, below := 2, 2
	if !s.DistinctTexts(first) { // it is not a header, so the row above may be
		above = 1
	}
	if bytes.Contains(s.Rows.Text(first), []byte(s.layout.Delimiter+" ")) { // it may be a title, and the row below the header
		below = 1
	}
	if s.cutByOther(first-1, above) || s.cutByOther(first+1, below) || s.cutByOther(first+2, below) {
		return 0.35
	}
	if first == 0 {
		return 0
	}
	loss = 0.05
	if s.Rows.Width(first-1) >= s.Width || len(bytes.Fields(s.Rows.Text(first-1))) != s.Width {
		return loss
	}
	switch {
	case s.layout.Delimiter == source.WideSpaces:
		loss = 0.15
	case s.layout.Delimiter == "\t" && s.Rows.Width(first-1) == 1 && bytes.IndexByte(s.Rows.Text(first-1), '=') < 0 && s.oneWordEach(first) && !s.DistinctTexts(first) && s.Rows.Next(first-1) == s.Rows.Start(first):
		loss = 0.35
	}
	return loss
}

// cutByOther reports whether a row with fewer cells than most is a header that another sign
// divides into words. The sign occurs there at least the given number of times, and as often in
// nearly all rows below, or once less where the last cell is left out.
func (s *shape) cutByOther(row, least int) bool {
	if row < 0 || row >= s.Rows.Len() || s.Rows.Width(row) >= s.Width {
		return false
	}
	header := s.Rows.Text(row)
	for _, sign := range append([]string{":", "~", "^"}, common...) {
		n := bytes.Count(header, []byte(sign))
		if n < least || sign == s.layout.Delimiter || !allWords(bytes.Split(header, []byte(sign))) {
			continue
		}
		below := s.Rows.Data[s.Rows.Next(row):s.Rows.Raw]
		if sign == ":" && inTimes(below) {
			continue
		}
		often := 0
		for r := row + 1; r < s.Rows.Len(); r++ {
			in := bytes.Count(s.Rows.Text(r), []byte(sign))
			if in == n || in > n && n > 1 || in == n-1 && n > 2 { // the last cell may be left out
				often++
			}
		}
		if often > 0 && 10*often >= 9*(s.Rows.Len()-row-1) {
			return true
		}
	}
	return false
}

// allWords reports whether all cells begin with a letter, apart from quotes and signs.
func allWords(cells [][]byte) bool {
	for _, cell := range cells {
		r, size := utf8.DecodeRune(bytes.Trim(cell, "\"'~|^ \t"))
		if size > 0 && !unicode.IsLetter(r) {
			return false
		}
	}
	return true
}

// oneWordEach reports whether all cells from a row on have a value without spaces in it.
func (s *shape) oneWordEach(from int) bool {
	for r := from; r < min(s.Rows.Len(), from+frame.KindRows); r++ {
		for c := range s.Rows.Width(r) {
			if len(bytes.Fields(s.Rows.Cell(r, c))) != 1 {
				return false
			}
		}
	}
	return true
}

// inText reports whether the spaces that cut the lines are those of sentences or of
// timestamps.
func (s *shape) inText(first int, share float64) bool {
	if !s.BySpaces {
		return false
	}
	single := s.layout.Delimiter == source.Spaces
	return share < 0.9 || single && (s.HeadsTexts(first) || s.CutsMoments())
}

// rareness is what a dialect loses to more usual ones that do as well; share is the share
// of even lines.
func (s *shape) rareness(share float64) (loss float64) {
	if s.Short {
		loss += 0.15
	}
	if s.layout.SkipSpaces { // as commas in sentences have them
		loss += 0.03
	}
	d := s.layout.Delimiter
	switch {
	case d == source.Spaces && share == 1 && s.isLog():
		loss += 0.1
	case d == source.Spaces:
		loss += 0.25
	case d == source.WideSpaces:
		loss += 0.2
	case d == "," && s.decimalCommas:
		loss += 0.3
	case !slices.Contains(common, d) && len(d) == 1:
		loss += 0.1
	}
	if s.BySpaces && share < 1 { // the lines may have blank cells
		loss += 0.1
	}
	if s.layout.Escape == source.ServerEscapes {
		if s.layout.Quote != "" && s.mixesQuotes() {
			loss += 0.5
		}
		return loss
	}
	if s.layout.Quote != `"` || s.layout.Escape == source.Unescaped {
		loss += 0.01
	}
	if s.layout.Quote == "" && (s.wrapped() || s.cutsQuoted()) || !s.BySpaces && s.cutsInQuotes() {
		loss += 0.5
	}
	return loss
}

// isLog reports whether many lines have as many words, and single spaces between them: they have
// neither blank cells nor texts of several words, and no columns at fixed places.
func (s *shape) isLog() bool {
	const minLines, minWords = 10, 4
	lines := quotedPart.ReplaceAll(s.Rows.Data[s.Rows.Start(0):s.Rows.Raw], nil)
	return s.Rows.Len() >= minLines && s.Width >= minWords && !bytes.Contains(lines, []byte("  ")) && !bytes.Contains(lines, []byte("\t")) &&
		!slices.ContainsFunc(common, func(d string) bool { return inEveryLine(lines, []byte(d)) })
}

// untidy is the share of cells that begin or end with a quote, begin with a space, have
// half of a pair of quotes or brackets or a tab, or have several spaces between words: signs of
// a dialect that was not understood.
func (s *shape) untidy(first int) float64 {
	bad, all := 0, 0
	for r := first; r < min(s.Rows.Len(), first+frame.KindRows); r++ {
		for c := range s.Rows.Width(r) {
			all++
			escaped := int(s.Rows.Span(r, c).Start) >= s.Rows.Raw
			bad += s.signsIn(s.Rows.Cell(r, c), escaped)
		}
	}
	return 0.5 * float64(bad) / float64(max(all, 1))
}

// signsIn returns the number of signs in a cell that the dialect was not understood. In a cell that
// had escapes quotes are text.
func (s *shape) signsIn(cell []byte, escaped bool) int {
	if len(cell) < 2 {
		return 0
	}
	first, last := cell[0], cell[len(cell)-1]
	switch {
	case s.BySpaces && bytes.Count(cell, []byte(`"`))%2 == 1: // a space in quotes was cut
		return 2
	case first == ' ', !escaped && strings.IndexByte(`"'`, first) >= 0 && first == last, last == '\\',
		!s.BySpaces && s.layout.Delimiter != "\t" && bytes.IndexByte(cell, '\t') >= 0,
		!s.BySpaces && first == '(' && bytes.IndexByte(cell, ')') < 0:
		return 1
	case !s.BySpaces:
		return min(2, bytes.Count(bytes.Trim(cell, " "), []byte("  "))) // columns that spaces separate
	}
	return 0
}
