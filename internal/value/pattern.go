package value

import (
	"strconv"
	"time"
)

// A Pattern writes dates and times as a Unicode pattern says, as far as formats use
// it.
type Pattern struct{ fields []string }

// NewPattern returns the pattern of a text such as dd/MM/yyyy HH:mm.
func NewPattern(text string) Pattern {
	var p Pattern
	for i := 0; i < len(text); {
		end := i + 1
		if text[i] == '\'' { // text in quotes
			for end < len(text) && text[end] != '\'' {
				end++
			}
			p.fields = append(p.fields, "'"+text[i+1:end])
			i = min(end+1, len(text))
			continue
		}
		for end < len(text) && text[end] == text[i] {
			end++
		}
		p.fields = append(p.fields, text[i:end])
		i = end
	}
	return p
}

// Append appends microseconds since 1970-01-01 in UTC, as the pattern says.
func (p Pattern) Append(dst []byte, micros int64) []byte {
	t := time.UnixMicro(micros).UTC()
	for _, f := range p.fields {
		if f[0] == '\'' {
			dst = append(dst, f[1:]...)
			continue
		}
		list, ok := layouts[f[0]]
		switch {
		case ok:
			dst = t.AppendFormat(dst, list[min(len(f), len(list))-1])
		case f == "H":
			dst = strconv.AppendInt(dst, int64(t.Hour()), 10)
		case f == "HH":
			dst = appendPadded(dst, int64(t.Hour()), 2)
		case f[0] == 'S':
			dst = append(dst, fractionOf(t)[:min(len(f), 6)]...)
		default:
			dst = append(dst, f...)
		}
	}
	return dst
}

// layouts are the fields of patterns as package time writes them, by their letter: one of it, two,
// and so on.
var layouts = map[byte][]string{
	'E': {"Mon", "Mon", "Mon", "Monday"}, 'y': {"2006", "06", "2006"}, 'M': {"1", "01", "Jan", "January"}, 'd': {"2", "02"},
	'h': {"3", "03"}, 'm': {"04"}, 's': {"05"}, 'a': {"PM"}, 'X': {"Z07:00"}, 'x': {"-07:00"}, 'Z': {"-07:00"}, 'z': {"-07:00"},
}

func fractionOf(t time.Time) []byte {
	return appendPadded(nil, int64(t.Nanosecond()/1000), 6)
}
