package sheet

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
	"unicode/utf8"
)

// maxText is the length of the longest tag or text between two tags.
const maxText = 32 << 20

// scanner takes XML apart into tags and the text between them. It knows as much
// of XML as workbooks use, and no entities but the five and characters by their
// numbers.
type scanner struct {
	in      io.Reader
	buf     []byte
	at, end int
	names   namespaces
	depth   int // of elements that have begun and not ended
}

func newScanner(in io.Reader) *scanner { return &scanner{in: in, buf: make([]byte, 64<<10)} }

// until returns what stands before a byte, which is taken too. It is valid until
// the next call. At the end of the text it returns io.EOF.
func (s *scanner) until(c byte) ([]byte, error) {
	seen := 0
	for {
		i := bytes.IndexByte(s.buf[s.at+seen:s.end], c)
		if i >= 0 {
			piece := s.buf[s.at : s.at+seen+i]
			s.at += seen + i + 1
			return piece, nil
		}
		seen = s.end - s.at
		err := s.fill()
		if err != nil {
			return nil, err
		}
	}
}

// fill reads more after what is not taken yet.
func (s *scanner) fill() error {
	if s.at > 0 {
		copy(s.buf, s.buf[s.at:s.end])
		s.at, s.end = 0, s.end-s.at
	}
	if s.end == len(s.buf) {
		if len(s.buf) >= maxText {
			return fmt.Errorf("%w: a text is longer than %d MB", ErrBroken, maxText>>20)
		}
		s.buf = append(s.buf, make([]byte, len(s.buf))...)
	}
	n, err := s.in.Read(s.buf[s.end:])
	s.end += n
	if n > 0 {
		return nil
	}
	return err
}

// text returns what stands before the next tag, as it is written.
func (s *scanner) text() ([]byte, error) { return s.until('<') }

// tag returns what stands between < and >. text was called before.
func (s *scanner) tag() ([]byte, error) {
	piece, err := s.until('>')
	for err == nil && open(piece) {
		kept := bytes.Clone(piece)
		piece, err = s.until('>')
		if err == nil {
			piece = append(append(kept, '>'), piece...)
		}
		if len(piece) > maxText {
			return nil, fmt.Errorf("%w: a tag is longer than %d MB", ErrBroken, maxText>>20)
		}
	}
	if errors.Is(err, io.EOF) {
		err = fmt.Errorf("%w: the file ends within a tag", ErrBroken)
	}
	s.follow(piece)
	return piece, err
}

// follow keeps count of the elements, and resolves the names of a tag.
func (s *scanner) follow(tag []byte) {
	switch {
	case len(tag) == 0 || tag[0] == '!' || tag[0] == '?':
		return
	case tag[0] == '/':
		s.depth--
	case !closed(tag):
		s.depth++
	}
	s.names.resolve(tag)
}

// open reports whether a tag continues after a > in an attribute or a comment.
func open(tag []byte) bool {
	n := len(tag)
	switch {
	case n == 0:
		return false
	case tag[0] == '!' && bytes.HasPrefix(tag, []byte("!--")):
		return !bytes.HasSuffix(tag, []byte("--")) || n < 5
	case tag[0] == '!' && bytes.HasPrefix(tag, []byte("![CDATA[")):
		return !bytes.HasSuffix(tag, []byte("]]"))
	case tag[n-1] == '"' && n > 1 && tag[n-2] != '=': // the end of an attribute, unless one begins with >
		return false
	}
	return bytes.Count(tag, []byte{'"'})%2 == 1
}

// each calls do with every tag and its name, until do returns errEnough.
func (s *scanner) each(do func(name, tag []byte) error) error {
	for {
		tag, err := s.next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err == nil {
			err = do(name(tag), tag)
		}
		if errors.Is(err, errEnough) {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

// next skips text and returns the next tag. At the end it returns io.EOF, unless
// elements are still open.
func (s *scanner) next() ([]byte, error) {
	_, err := s.text()
	if errors.Is(err, io.EOF) && s.depth > 0 {
		return nil, ended(err)
	}
	if err != nil {
		return nil, err
	}
	return s.tag()
}

// name returns the name of a tag without its prefix, with the / before that of
// an end tag. The tag may be changed for it.
func name(tag []byte) []byte {
	end := len(tag)
	for i, c := range tag {
		if c == ' ' || c == '\n' || c == '\t' || c == '\r' || c == '/' && i > 0 {
			end = i
			break
		}
	}
	word := tag[:end]
	i := bytes.IndexByte(word, ':')
	if i >= 0 {
		if word[0] == '/' {
			word[i] = '/'
			return word[i:]
		}
		word = word[i+1:]
	}
	return word
}

// ends reports whether a name is that of the end tag of an element.
func ends(name []byte, element string) bool {
	return len(name) > 0 && name[0] == '/' && string(name[1:]) == element
}

// closed reports whether a tag is begin and end in one.
func closed(tag []byte) bool { return len(tag) > 0 && tag[len(tag)-1] == '/' }

// attributes calls do with each attribute of a tag: its name without a prefix,
// and its value as it is written.
func attributes(tag []byte, do func(name, value []byte)) {
	wholeAttributes(tag, func(name, value []byte) {
		i := bytes.IndexByte(name, ':')
		if i >= 0 {
			name = name[i+1:]
		}
		do(name, value)
	})
}

// wholeAttributes calls do with each attribute of a tag, its name with its prefix.
func wholeAttributes(tag []byte, do func(name, value []byte)) {
	for {
		eq := bytes.IndexByte(tag, '=')
		if eq < 0 {
			return
		}
		end := eq
		for end > 0 && isSpace(tag[end-1]) {
			end--
		}
		start := end
		for start > 0 && !isSpace(tag[start-1]) {
			start--
		}
		open := eq + 1
		for open < len(tag) && isSpace(tag[open]) {
			open++
		}
		if open == len(tag) {
			return
		}
		length := bytes.IndexByte(tag[open+1:], tag[open])
		if length < 0 {
			return
		}
		do(tag[start:end], tag[open+1:open+1+length])
		tag = tag[open+length+2:]
	}
}

func isSpace(c byte) bool { return c == ' ' || c == '\n' || c == '\t' || c == '\r' }

// attribute returns the value of one attribute, or "".
func attribute(tag []byte, want string) (found string) {
	attributes(tag, func(name, value []byte) {
		if string(name) == want && found == "" {
			found = string(appendText(nil, value))
		}
	})
	return found
}

// usual returns the text of a cell whose tag has just been read, when the cell is
// all in the buffer and is written as most are: before, the text, after. It is
// valid until the next call.
func (s *scanner) usual(before, after string) (text []byte, ok bool) {
	rest := s.buf[s.at:s.end]
	if len(rest) < len(before) || string(rest[:len(before)]) != before {
		return nil, false
	}
	rest = rest[len(before):]
	i := bytes.IndexByte(rest, '<')
	if i < 0 || len(rest) < i+len(after) || string(rest[i:i+len(after)]) != after {
		return nil, false
	}
	s.at += len(before) + i + len(after)
	s.depth-- // the element has ended too
	return rest[:i], true
}

// inner appends the text up to the end tag of the element that has just begun,
// that of elements within it, but for those called skip, too.
func (s *scanner) inner(dst []byte, element, skip string) ([]byte, error) {
	depth, skipped := 0, 0
	for {
		text, err := s.text()
		if err != nil {
			return dst, ended(err)
		}
		if skipped == 0 {
			dst = appendText(dst, text)
		}
		tag, err := s.tag()
		if err != nil {
			return dst, err
		}
		cdata, ok := cdata(tag)
		if ok {
			dst = append(dst, cdata...)
			continue
		}
		n := name(tag)
		switch {
		case ends(n, element) && depth == 0:
			return dst, nil
		case ends(n, element):
			depth--
		case string(n) == element && !closed(tag):
			depth++
		case skip != "" && string(n) == skip && !closed(tag):
			skipped++
		case skip != "" && ends(n, skip):
			skipped--
		}
	}
}

// cdata returns the text that stands in a tag, if it is one of that kind.
func cdata(tag []byte) ([]byte, bool) {
	text, ok := bytes.CutPrefix(tag, []byte("![CDATA["))
	return bytes.TrimSuffix(text, []byte("]]")), ok
}

// ended makes a mistake of an end that comes too early.
func ended(err error) error {
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return fmt.Errorf("%w: the file is cut off", ErrBroken)
	}
	return err
}

// appendText appends text without its entities.
func appendText(dst, text []byte) []byte {
	for {
		i := bytes.IndexByte(text, '&')
		if i < 0 {
			return append(dst, text...)
		}
		dst = append(dst, text[:i]...)
		text = text[i:]
		end := bytes.IndexByte(text[:min(len(text), 12)], ';')
		if end < 0 {
			dst, text = append(dst, '&'), text[1:]
			continue
		}
		dst = appendEntity(dst, text[1:end], text[:end+1])
		text = text[end+1:]
	}
}

var entities = map[string]byte{"amp": '&', "lt": '<', "gt": '>', "quot": '"', "apos": '\''}

func appendEntity(dst, word, whole []byte) []byte {
	c, ok := entities[string(word)]
	if ok {
		return append(dst, c)
	}
	if len(word) > 1 && word[0] == '#' {
		digits, base := string(word[1:]), 10
		if digits[0] == 'x' || digits[0] == 'X' {
			digits, base = digits[1:], 16
		}
		n, err := strconv.ParseUint(digits, base, 32)
		if err == nil {
			return utf8.AppendRune(dst, rune(n))
		}
	}
	return append(dst, whole...)
}
