package sheet

import (
	"bytes"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
)

// style is how a person sees a number.
type style uint8

const (
	plain style = iota
	percent
	dates    // with or without a time
	times    // of the day
	duration // of hours, which may be more than a day has
)

// format is what a number format does to a number.
type format struct {
	style
	currency string // the sign that it shows
	decimals int    // that it shows at least
}

// builtin returns the format that has a number by itself, by ECMA-376 part 1,
// 18.8.30, and those that East Asian versions add.
func builtin(id int) format {
	switch {
	case id == 2 || id == 4 || id == 39 || id == 40:
		return format{decimals: 2}
	case id == 9:
		return format{style: percent}
	case id == 10:
		return format{style: percent, decimals: 2}
	case id >= 14 && id <= 17, id == 22, id >= 27 && id <= 31, id == 36, id >= 50 && id <= 54, id == 57, id == 58:
		return format{style: dates}
	case id >= 18 && id <= 21, id >= 32 && id <= 35, id == 45, id == 47, id == 55, id == 56:
		return format{style: times}
	case id == 46:
		return format{style: duration}
	}
	return format{}
}

// parseFormat reads a format code. What counts is its first section, without
// what stands in quotes, after a backslash or in brackets.
func parseFormat(code string) (f format) {
	section, _, _ := strings.Cut(code, ";")
	var bare strings.Builder
	for i := 0; i < len(section); i++ {
		c := section[i]
		switch c {
		case '\\', '_', '*':
			i++
		case '"', '[':
			end := strings.IndexByte(section[i+1:], map[byte]byte{'"': '"', '[': ']'}[c])
			if end < 0 {
				end = len(section) - i - 2
			}
			f.bracketed(c, section[i+1:i+1+end])
			i += end + 1
		default:
			bare.WriteByte(c)
		}
	}
	text := strings.NewReplacer("general", "", "am/pm", "h", "a/p", "h").Replace(strings.ToLower(bare.String()))
	switch {
	case f.style == duration:
	case strings.ContainsAny(text, "yd"), strings.Contains(text, "mmm"):
		f.style = dates
	case strings.ContainsAny(text, "hs"):
		f.style = times
	case strings.Contains(text, "m") && !strings.ContainsAny(text, "0#?"):
		f.style = dates
	case strings.Contains(text, "%"):
		f.style = percent
	}
	if f.style == plain || f.style == percent {
		_, decimals, _ := strings.Cut(text, ".")
		f.decimals = len(decimals) - len(strings.TrimLeft(decimals, "0"))
	}
	for _, sign := range signs {
		if strings.Contains(text, sign) {
			f.currency = sign
		}
	}
	return f
}

// signs of currencies that formats show.
var signs = []string{"$", "€", "£", "¥"}

// bracketed adds what stands in quotes or brackets of a format code.
func (f *format) bracketed(kind byte, text string) {
	switch {
	case kind == '"':
		sign := strings.TrimSpace(text)
		if slices.Contains(signs, sign) {
			f.currency = sign
		}
	case strings.HasPrefix(text, "$"):
		f.currency, _, _ = strings.Cut(text[1:], "-")
	case elapsed.MatchString(text):
		f.style = duration
	}
}

// elapsed is how a format writes hours, minutes or seconds that do not begin again.
var elapsed = regexp.MustCompile(`^(?i:h+|m+|s+)$`)

// appendNumber appends a number as a person sees it, without the noise of floating
// point, dates and times as ISO 8601.
func (f *format) appendNumber(dst, raw []byte, epoch1904 bool) []byte {
	if f.style == plain && f.currency == "" && f.decimals == 0 && short(raw) {
		return append(dst, raw...)
	}
	x, err := strconv.ParseFloat(string(raw), 64)
	if err != nil || math.IsInf(x, 0) || math.IsNaN(x) {
		return append(dst, bytes.Map(printable, raw)...)
	}
	if f.style == plain && f.currency == "" && f.decimals == 0 && withoutNoise(x) == x && len(raw) <= longestPlain && isShortest(raw, x) {
		return append(dst, raw...)
	}
	return f.appendFloat(dst, x, epoch1904)
}

// appendFloat is appendNumber for a number that is stored as one.
func (f *format) appendFloat(dst []byte, x float64, epoch1904 bool) []byte {
	switch f.style {
	case percent:
		return append(appendDigits(dst, x*100, f.decimals), '%')
	case dates, times:
		moment, ok := appendSerial(dst, x, f.style, epoch1904)
		if ok {
			return moment
		}
	case duration:
		return appendDuration(dst, x)
	}
	if f.currency != "" && x < 0 {
		dst, x = append(dst, '-'), -x
	}
	return appendDigits(append(dst, f.currency...), x, f.decimals)
}

// printable removes what is not a character of a number, and may end cells.
func printable(r rune) rune {
	if r < ' ' {
		return ' '
	}
	return r
}

// longestPlain is the length of the 17 digits that distinguish all doubles, with a
// sign and a point.
const longestPlain = 19

// short reports whether a number is written with so few digits that it is what it
// looks like.
func short(raw []byte) bool { return plainDigits(raw) && len(raw) <= 15 }

// isShortest reports whether a shorter number would not be the same double. Whole numbers
// always stay.
func isShortest(raw []byte, x float64) bool {
	if !plainDigits(raw) {
		return false
	}
	var b [32]byte
	return bytes.IndexByte(raw, '.') < 0 || len(strconv.AppendFloat(b[:0], x, 'f', -1, 64)) >= len(raw)
}

// plainDigits reports whether a number is written without an exponent.
func plainDigits(raw []byte) bool {
	for _, c := range raw {
		if c > '9' || c < '+' {
			return false
		}
	}
	return true
}

// noise is how many units in the last place a number may be off that was
// calculated rather than entered.
const noise = 3

// withoutNoise returns the number of 15 significant digits that a person entered
// or would see, where x is that but for the noise of floating point, and x where
// it has more digits.
func withoutNoise(x float64) float64 {
	rounded, _ := strconv.ParseFloat(strconv.FormatFloat(x, 'e', 14, 64), 64)
	ulp := math.Nextafter(math.Abs(x), math.Inf(1)) - math.Abs(x)
	if math.IsInf(rounded, 0) || math.Abs(rounded-x) > noise*ulp {
		return x
	}
	return rounded
}

// appendDigits appends a number in plain notation, with a number of decimals at
// least: of more that it has none is lost.
func appendDigits(dst []byte, x float64, decimals int) []byte {
	rounded := withoutNoise(x)
	a := math.Abs(rounded)
	if a != 0 && (a >= 1e21 || a < 1e-9) {
		return strconv.AppendFloat(dst, rounded, 'g', -1, 64)
	}
	start := len(dst)
	dst = strconv.AppendFloat(dst, rounded, 'f', -1, 64)
	if decimals == 0 {
		return dst
	}
	point := bytes.IndexByte(dst[start:], '.')
	if point < 0 {
		point = len(dst) - start
		dst = append(dst, '.')
	}
	for have := len(dst) - start - point - 1; have < decimals; have++ {
		dst = append(dst, '0')
	}
	return dst
}

const (
	secondsPerDay = 86400
	maxSerial     = 2958466 // of 10000-01-01
)

// appendSerial appends the moment that a serial number stands for: days since
// the end of 1899, or of 1903, with the 29 February of 1900 that never was.
func appendSerial(dst []byte, x float64, s style, epoch1904 bool) ([]byte, bool) {
	if x < 0 || x >= maxSerial {
		return dst, false
	}
	millis := int64(math.Round(x * secondsPerDay * 1000))
	days, rest := millis/(secondsPerDay*1000), millis%(secondsPerDay*1000)
	if s == times && days == 0 {
		return appendClock(dst, rest), true
	}
	epoch := time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
	switch {
	case epoch1904:
		epoch = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	case days == 60:
		return append(dst, "1900-02-29"...), true
	case days < 60:
		epoch = epoch.AddDate(0, 0, 1)
	}
	dst = epoch.AddDate(0, 0, int(days)).AppendFormat(dst, "2006-01-02")
	if rest == 0 {
		return dst, true
	}
	return appendClock(append(dst, ' '), rest), true
}

// appendClock appends a time of the day.
func appendClock(dst []byte, millis int64) []byte {
	dst = time.UnixMilli(millis).UTC().AppendFormat(dst, "15:04:05.000")
	return bytes.TrimSuffix(dst, []byte(".000"))
}

// appendDuration appends hours, minutes and seconds.
func appendDuration(dst []byte, days float64) []byte {
	if days < 0 {
		dst, days = append(dst, '-'), -days
	}
	seconds := int64(math.Round(days * secondsPerDay))
	dst = appendTwo(dst, seconds/3600)
	dst = appendTwo(append(dst, ':'), seconds/60%60)
	return appendTwo(append(dst, ':'), seconds%60)
}

func appendTwo(dst []byte, n int64) []byte {
	if n < 10 {
		dst = append(dst, '0')
	}
	return strconv.AppendInt(dst, n, 10)
}
