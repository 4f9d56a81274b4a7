package handover

// wrap breaks lines of more than width bytes after commas and concatenations outside of quotes. With
// a width of 0 it returns the text unchanged.
func wrap(text []byte, width int) []byte {
	if width == 0 || len(text) <= width {
		return text
	}
	var out []byte
	written, line, at := 0, 0, 0 // end of what is written, begin of the line, last possible break
	breakLine := func(end int) {
		if end-line > width && at > line {
			out = append(append(out, text[written:at]...), "\n    "...)
			written, line = at+1, at+1
		}
	}
	quote := byte(0)
	for i, c := range text {
		switch {
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '\'', c == '"':
			quote = c
		case c == '\n':
			breakLine(i)
			line = i + 1
		case c == ' ' && i > 0 && (text[i-1] == ',' || text[i-1] == '|'):
			breakLine(i)
			at = i
		}
	}
	breakLine(len(text))
	return append(out, text[written:]...)
}
