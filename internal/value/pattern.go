package value

import "time"

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
		layout, ok := layouts[f]
		switch {
		case ok:
			dst = t.AppendFormat(dst, layout)
		case f[0] == 'S':
			dst = append(dst, fractionOf(t)[:min(len(f), 6)]...)
		default:
			dst = append(dst, f...)
		}
	}
	return dst
}

// layouts are the fields of patterns as package time writes them.
var layouts = map[string]string{
	"EEE": "Mon", "EEEE": "Monday", "yyyy": "2006", "yy": "06", "MMMM": "January", "MMM": "Jan", "MM": "01", "M": "1", "dd": "02", "d": "2",
	"HH": "15", "hh": "03", "h": "3", "mm": "04", "ss": "05", "a": "PM", "XXX": "Z07:00",
}

func fractionOf(t time.Time) []byte {
	return appendPadded(nil, int64(t.Nanosecond()/1000), 6)
}
