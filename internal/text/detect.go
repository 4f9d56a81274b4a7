package text

import (
	"bytes"

	"ambertray/internal/frame"
	"ambertray/internal/record"
	"ambertray/internal/source"
)

// FirstLines cuts the head down to a number of lines, which end in one of the given
// signs.
func FirstLines(head []byte, whole bool, ends string, lines int) ([]byte, bool) {
	end := 0
	for range lines {
		i := bytes.IndexAny(head[end:], ends)
		if i < 0 {
			return head, whole
		}
		end += i + 1
	}
	return head[:end], whole && end == len(head)
}

// LineEnd returns the word for how lines end. A carriage return now and then
// among line feeds is part of a cell; several before a line feed belong to it.
func LineEnd(head []byte) string {
	lf := bytes.Count(head, []byte("\n"))
	crlf := bytes.Count(head, []byte("\r\n"))
	crcrlf := bytes.Count(head, []byte("\r\r\n"))
	lone := record.LoneReturns(head)
	switch {
	case lf == 0 && lone > 0:
		return "cr"
	case lone*10 > lf:
		return "mixed"
	case crcrlf*2 > lf:
		return "crcrlf"
	case crlf*2 > lf:
		return "crlf"
	}
	return "lf"
}

// CommentsOf returns how the comments of a text are read.
func CommentsOf(c Cutter) frame.Comments {
	return frame.Comments{
		Sign:      string(c.Rules().Comment),
		Delimiter: c.Delimiter(),
		Cut:       func(text []byte) *record.Batch { return CutText(c, text, true) },
	}
}

// SeekHeader is frame.SeekHeader for the text that begins with head.
func SeekHeader(c Cutter, head []byte, whole bool, lay source.Layout, wanted []string) (found source.Layout, recordLine int64) {
	if lay.HeaderLine == 0 && lay.FirstDataLine <= 1 || lay.HeaderLine > 0 && len(wanted) == 0 {
		return lay, 0
	}
	head, whole = FirstLines(head, whole, lineEnds(c), frame.HeadRows+int(max(lay.HeaderLine, lay.FirstDataLine))) // what stands further on is not a header
	comments := CommentsOf(c)
	return frame.SeekHeader(CutText(c, head, whole), lay, wanted, &comments)
}
