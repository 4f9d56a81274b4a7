package delimited

import (
	"bytes"

	"ambertray/internal/record"
)

// careful cuts the dialects that need a look at every byte: delimiters of
// several characters, runs of spaces, spaces after the delimiter, escapes and
// line ends of more than one kind. It returns what Cut does.
func (s *scan) careful() int {
	i := 0
	for i < s.n {
		start := s.skipSpaces(i)
		end, ok := 0, true
		if s.c.quote != 0 && start < s.n && s.data[start] == s.c.quote {
			end, ok = s.quoted(start)
		} else {
			end, ok = s.plain(start)
		}
		if !ok {
			return s.record
		}
		if s.record > end { // an open quote closed the record
			i = s.record
			if s.c.newline == 0 && i < s.n && s.data[i] == '\n' && s.data[i-1] == '\r' {
				i++
			}
			s.record = i
			continue
		}
		next, isLine, known := s.separator(end)
		if !known {
			return s.record
		}
		switch {
		case isLine:
			i = s.endCareful(end, next)
		case next >= s.n && s.last: // a delimiter at the very end
			s.b.AddCell(record.Span{Start: uint32(s.n), End: uint32(s.n)})
			i = s.endCareful(s.n, s.n)
		default:
			i = next
		}
	}
	if !s.last {
		return s.record
	}
	return s.n
}

// plain cuts the unquoted cell at start and returns the offset of what ends it.
func (s *scan) plain(start int) (end int, ok bool) {
	end, escapes := s.endOfPlain(start)
	if end >= s.n && !s.last {
		return end, false
	}
	end = min(end, s.n)
	stop := end
	for stop > start && s.data[stop-1] == '\r' && (end >= s.n || s.data[end] == '\n') {
		stop--
	}
	for (s.c.skipSpaces || s.c.spaces == 2) && stop > start && s.data[stop-1] == ' ' {
		stop--
	}
	if escapes {
		s.addEscaped(start, stop)
	} else {
		s.b.AddCell(record.Span{Start: uint32(start), End: uint32(stop)})
	}
	return end, true
}

// endOfPlain returns where the unquoted cell at start ends, and whether it has escapes of a
// server. A backslash at the end of the text may reach further.
func (s *scan) endOfPlain(start int) (end int, escapes bool) {
	end = start
	for end < s.n {
		switch {
		case !s.c.ends[s.data[end]]:
			end++
		case s.data[end] == '\\' && s.c.server:
			end += s.escapeLength(end)
			escapes = true
		case s.delimiterAt(end) || s.lineEndAt(end):
			return end, escapes
		default:
			end++
		}
	}
	return end, escapes
}

// skipSpaces returns where the cell begins that may have spaces before it.
func (s *scan) skipSpaces(i int) int {
	if s.c.skipSpaces || s.c.spaces > 0 && i == s.record {
		for i < s.n && s.data[i] == ' ' {
			i++
		}
	}
	return i
}

// delimiterAt reports whether a delimiter begins at i.
func (s *scan) delimiterAt(i int) bool {
	switch {
	case s.c.spaces == 1:
		return s.data[i] == ' ' || s.data[i] == '\t'
	case s.c.spaces == 2:
		return s.data[i] == ' ' && i+1 < s.n && (s.data[i+1] == ' ' || s.data[i+1] == '\r' || s.lineEndAt(i+1))
	case s.c.long != nil:
		return bytes.HasPrefix(s.data[i:s.n], s.c.long)
	}
	return s.data[i] == s.c.delimiter && s.c.delimiter != s.c.newline
}

func (s *scan) lineEndAt(i int) bool {
	if s.c.newline == 0 {
		return s.data[i] == '\n' || s.data[i] == '\r'
	}
	return s.data[i] == s.c.newline
}

// separator examines what ends a cell at offset i: a delimiter or a line end,
// and where the next cell begins. Spaces at the end of a line delimit nothing.
func (s *scan) separator(i int) (next int, isLine, known bool) {
	if i >= s.n {
		return s.n, true, s.last
	}
	if !s.delimiterAt(i) {
		return s.lineBreak(i)
	}
	if s.c.spaces == 0 {
		return i + max(len(s.c.long), 1), false, true
	}
	for i < s.n && (s.data[i] == ' ' || s.data[i] == '\t') {
		i++
	}
	if i >= s.n {
		return s.n, true, s.last
	}
	return s.lineBreak(i)
}

// lineBreak returns the offset after the line end at i, or i when there is
// none.
func (s *scan) lineBreak(i int) (next int, isLine, known bool) {
	j := s.afterReturns(i)
	switch {
	case j >= s.n && j > i:
		return s.n, true, s.last // otherwise a line feed may follow
	case s.c.newline == 0 && j > i && s.data[j] != '\n':
		return i + 1, true, true
	case s.lineEndAt(j):
		return j + 1, true, true
	}
	return i, false, true
}

// afterReturns returns the offset after the carriage returns at i, unless each of them is a
// line end by itself.
func (s *scan) afterReturns(i int) int {
	if s.c.newline == '\r' || i >= s.n || s.data[i] != '\r' {
		return i
	}
	if i < int(s.returns.Start) || i >= int(s.returns.End) {
		end := i + 1
		for end < s.n && s.data[end] == '\r' {
			end++
		}
		s.returns = record.Span{Start: uint32(i), End: uint32(end)}
	}
	return int(s.returns.End)
}

// endCareful closes the record whose last cell ends at end, where the next one
// begins at next. It returns where to cut on.
func (s *scan) endCareful(end, next int) int {
	s.endRecord(end)
	if s.record > end {
		s.record = next
	}
	return s.record
}
