package text

import (
	"bytes"
	"fmt"
	"io"

	"ambertray/internal/frame"
	"ambertray/internal/record"
	"ambertray/internal/source"
)

// Open returns a reader of the records of src, which must not have been read
// from yet, and the headings of its columns, each of them distinct: a blank
// one is called column_N and one that came before gets its number.
func Open(src *source.Source, lay source.Layout, c Cutter) (*Reader, []string, error) {
	return OpenPieces(src, lay, c, 0)
}

// OpenPieces is Open with a given length of the pieces. 0 derives it from the length of the lines.
func OpenPieces(src *source.Source, lay source.Layout, c Cutter, size int) (*Reader, []string, error) {
	head := src.Head()
	whole := len(head) < source.HeadSize
	first := max(lay.HeaderLine, 1)
	if lay.HeaderLine == 0 {
		first = max(lay.FirstDataLine, 1)
	}
	text, above, ok := skipLines(c, head, first-1, 1, record.Title)
	if !ok {
		return nil, nil, &NoLineError{src.Name, first}
	}
	line := first
	lines := int64(0)
	if lay.HeaderLine > 0 {
		lines = max(lay.HeaderLines, 1)
	}
	e := Expected{}
	headings, used := headingsOf(c, text, whole, lines, lay.DescriptionLines, &e)
	if len(headings) == 0 {
		return nil, nil, &NoColumnsError{src.Name, first}
	}
	if lay.HeaderLine > 0 {
		if len(headings) > 1 {
			c.Rules().LeaveOutHeader(rowTexts(CutText(c, text[:used], true)))
		}
		line += lineCount(c, text[:used])
		rest, described, ok := skipLines(c, text[used:], lay.DescriptionLines, line, record.Description)
		if !ok {
			return nil, nil, &NoLineError{src.Name, line + lay.DescriptionLines}
		}
		above = append(above, described...)
		line += lay.DescriptionLines
		text = rest
	}
	_, err := io.CopyN(io.Discard, src, int64(len(head)-len(text)))
	if err != nil {
		return nil, nil, err
	}
	e.Width = len(headings)
	footer := expect(c, &lay, e, text, whole)
	if size == 0 {
		size = pieceSize(c, text)
	}
	r := NewReader(src, c, footer, size, line)
	r.decoded = !src.Encoding.IsUTF8()
	for _, row := range above {
		r.skipped[row.Rule]++
		if row.Rule != record.Blank && row.Rule != record.Hidden {
			r.above = append(r.above, row)
		}
	}
	return r, frame.Distinct(headings), nil
}

// expect says to the cutter what it can expect of the records that begin with text. It returns the
// footer rule, which learns from the first of them if the footer is detected.
func expect(c Cutter, lay *source.Layout, e Expected, text []byte, whole bool) frame.Footer {
	if lay.FillShort {
		e.Fill = e.Width
	}
	c.Expect(e)
	if lay.Format == source.Fixed {
		e.Abutting = abutting(CutText(c, text, whole), e.Width)
	}
	footer := frame.Footer{Rows: int(lay.Footer), Sparse: lay.FillShort, Prose: cutsProse(lay)}
	if lay.FindFooter {
		footer.Width = e.Width
		footer.Learn(CutText(c, text, whole), whole)
	}
	e.HeldBack = footer.HeldBack()
	c.Expect(e)
	return footer
}

// abutting returns which columns begin right after text of the one before in most of the first
// records of a source.
func abutting(records *record.Batch, width int) []bool {
	severed := make([]int, width)
	for _, o := range records.Oddities {
		if o.What == record.Severed && o.Cell < width {
			severed[o.Cell]++
		}
	}
	abut := make([]bool, width)
	for i, n := range severed {
		abut[i] = 2*n > records.Len()
	}
	return abut
}

// pieceSize returns the length of the pieces for lines as long as those of text.
func pieceSize(c Cutter, text []byte) int {
	lines := max(lineCount(c, text), 1)
	return min(max(PieceSize, pieceLines*len(text)/int(lines)), maxPieceSize)
}

// rowTexts returns the texts of the rows of a batch.
func rowTexts(b *record.Batch) (rows [][]byte) {
	for r := range b.Len() {
		rows = append(rows, b.Text(r))
	}
	return rows
}

// NoColumnsError says that the header, or without one the first record, cannot be cut into
// cells.
type NoColumnsError struct {
	Source string
	Line   int64
}

func (e *NoColumnsError) Error() string {
	return fmt.Sprintf("%s: no columns found on line %d, where a quote is never closed", e.Source, e.Line)
}

// NoLineError says that a source is too short to have the line of its header.
type NoLineError struct {
	Source string
	Line   int64
}

func (e *NoLineError) Error() string {
	return fmt.Sprintf("%s has no line %d within its first %d kB, where its header or its data should begin", e.Source, e.Line, source.HeadSize>>10)
}

// skipLines returns what stands after n lines, the first of which has the number
// from, and the rows in those lines, left out by the given rule where no other
// does.
func skipLines(c Cutter, text []byte, n, from int64, by record.Rule) (rest []byte, above []record.LeftOut, ok bool) {
	for line := from; line < from+n; line++ {
		i := bytes.IndexAny(text, lineEnds(c))
		if i < 0 {
			return nil, above, false
		}
		row := bytes.TrimRight(text[:i], "\r")
		rule, ok := c.Rules().Of(row)
		if !ok {
			rule = by
		}
		outside := c.Rules().Outside
		if outside == "" || string(row) != outside {
			above = append(above, record.LeftOut{Rule: rule, Line: line, Text: string(row)})
		}
		if c.Newline() == 0 && text[i] == '\r' && i+1 < len(text) && text[i+1] == '\n' {
			i++
		}
		text = text[i+1:]
	}
	return text, above, true
}

// cutsProse reports whether the words of a sentence fill cells.
func cutsProse(lay *source.Layout) bool {
	return lay.Format == source.Fixed || lay.BlankDelimited()
}

func lineEnds(c Cutter) string {
	if c.Newline() == 0 {
		return "\r\n"
	}
	return string(rune(c.Newline()))
}

// headingsOf cuts the rows that begin on the lines of the header, or the first
// record if there is no header. It returns a heading for each cell and how many
// bytes the rows take with their line ends. A header may be written as a comment.
func headingsOf(c Cutter, text []byte, whole bool, lines, described int64, e *Expected) (headings []string, used int) {
	sign, comments := 0, CommentsOf(c)
	if lines > 0 && comments.Sign != "" && c.Rules().IsComment(text) {
		sign = len(text) - len(comments.Text(text))
		text = text[sign:]
	}
	b := CutText(c, text, whole)
	if b.Len() == 0 {
		return []string{""}, sign
	}
	sparse := c.Rules().Sparse
	if lines == 0 {
		width := b.Width(0)
		if !sparse {
			head := frame.NewHead(b)
			width = head.Width
		}
		var fillLast int
		headings, fillLast = frame.FitHeadings(make([]string, width), b, 0, sparse)
		if len(headings) > width { // the last column is optional
			e.FillLast = fillLast
		}
		return headings, 0
	}
	rows := 1
	for rows < b.Len() && b.Line(rows) <= lines {
		rows++
	}
	from := rows
	for from < b.Len() && b.Line(from) <= lines+described {
		from++
	}
	headings = frame.JoinHeadings(b, 0, rows)
	if sign > 0 {
		headings = comments.Headings(b.Text(0), b)
	}
	headings, e.FillLast = frame.FitHeadings(headings, b, from, sparse)
	return headings, sign + b.Next(rows-1)
}

// CutText cuts a text that is not part of a source. The cells are valid as long as the text,
// which is not copied if there is room for the pad after it.
func CutText(c Cutter, text []byte, whole bool) *record.Batch {
	b := record.New(c.Newline(), nil)
	padded := len(text) + record.Pad
	if cap(text) >= padded { // the cutter does not use these bytes
		b.Data = text[:padded:padded]
	} else {
		b.Data = pad(bytes.Clone(text))
	}
	b.Raw, b.FirstLine = len(text), 1
	c.Cut(b, whole, false)
	return b
}

func lineCount(c Cutter, text []byte) int64 {
	b := record.New(c.Newline(), nil)
	b.Data = text
	b.CountLines(len(text))
	return b.Lines
}
