package value

import "encoding/hex"

// AppendDate appends days since 1970-01-01 as an ISO 8601 date.
func AppendDate(dst []byte, days int64) []byte {
	year, month, day := civilFromDays(days)
	dst = appendPadded(dst, year, 4)
	dst = append(dst, '-')
	dst = appendPadded(dst, month, 2)
	dst = append(dst, '-')
	return appendPadded(dst, day, 2)
}

// AppendClock appends microseconds since midnight as HH:MM:SS, with six
// decimals unless they are all zero. Of a number below zero, which no time of day has,
// it has the sign.
func AppendClock(dst []byte, micros int64) []byte {
	if micros < 0 {
		dst, micros = append(dst, '-'), -micros
	}
	seconds := micros / 1e6
	dst = appendPadded(dst, seconds/3600, 2)
	dst = append(dst, ':')
	dst = appendPadded(dst, seconds/60%60, 2)
	dst = append(dst, ':')
	dst = appendPadded(dst, seconds%60, 2)
	fraction := micros % 1e6
	if fraction != 0 {
		dst = append(dst, '.')
		dst = appendPadded(dst, fraction, 6)
	}
	return dst
}

// AppendTimestamp appends microseconds since 1970-01-01 as an ISO 8601 date
// and time with a space between.
func AppendTimestamp(dst []byte, micros int64) []byte {
	const perDay = 86400 * 1e6
	days := micros / perDay
	if micros%perDay < 0 {
		days--
	}
	dst = append(AppendDate(dst, days), ' ')
	return AppendClock(dst, micros-days*perDay)
}

// AppendBytes appends bytes as text: 0x and two hexadecimal digits each.
func AppendBytes(dst, b []byte) []byte { return hex.AppendEncode(append(dst, "0x"...), b) }

// AppendFromHex appends the bytes of a text that AppendBytes has written.
func AppendFromHex(dst, text []byte) []byte {
	dst, _ = hex.AppendDecode(dst, text[len("0x"):])
	return dst
}

// appendPadded appends a number in an even number of digits, up to six, after its sign if it
// is below zero.
func appendPadded(dst []byte, n int64, width int) []byte {
	rest := uint64(n)
	if n < 0 {
		dst, rest = append(dst, '-'), -rest
	}
	at := len(dst)
	dst = append(dst, "000000"[:width]...)
	for i := width - 2; i >= 0; i -= 2 {
		pair := rest % 100 * 2
		dst[at+i], dst[at+i+1] = pairs[pair], pairs[pair+1]
		rest /= 100
	}
	return dst
}

// pairs are the numbers from 00 to 99.
var pairs = func() (all [200]byte) {
	for n := range 100 {
		all[2*n], all[2*n+1] = byte('0'+n/10), byte('0'+n%10)
	}
	return all
}()

// civilFromDays returns the date of the proleptic Gregorian calendar, from year 1 on,
// that is n days after 1970-01-01.
func civilFromDays(days int64) (year, month, day int64) {
	z := days + 719468
	era := z / 146097
	dayOfEra := z - era*146097
	yearOfEra := (dayOfEra - dayOfEra/1460 + dayOfEra/36524 - dayOfEra/146096) / 365
	dayOfYear := dayOfEra - (365*yearOfEra + yearOfEra/4 - yearOfEra/100)
	m := (5*dayOfYear + 2) / 153
	day = dayOfYear - (153*m+2)/5 + 1
	month = (m+2)%12 + 1
	year = yearOfEra + era*400
	if month <= 2 {
		year++
	}
	return year, month, day
}
