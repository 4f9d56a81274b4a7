package postgres

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"regexp"
	"strconv"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

var (
	timeTZForm  = regexp.MustCompile(`^time(?:\((\d)\))? with time zone$`)
	offsetClock = regexp.MustCompile(`^([01]\d|2[0-3]):([0-5]\d)(?::([0-5]\d)(?:\.(\d{1,6}))?)?(?:Z|([+-])(0\d|1[0-5])(?::?([0-5]\d))?)$`)
)

// timeTZType returns the text type for times of day with an offset, and its limit.
func timeTZType(native string) (*table.Type, *table.Limit, bool) {
	m := timeTZForm.FindStringSubmatch(native)
	if m == nil {
		return nil, nil, false
	}
	digits, err := strconv.Atoi(m[1])
	if err != nil {
		digits = table.Micros
	}
	limit := &table.Limit{Native: native, Text: func(text []byte) ([]byte, string) {
		micros, west, fraction, ok := readTimeTZ(text)
		switch {
		case !ok:
			return nil, "not a time with an offset such as 10:00:00+01"
		case fraction > digits:
			return nil, "more digits of a second than " + native
		}
		return appendTimeTZ(nil, micros, west), ""
	}}
	return &table.Type{Kind: table.Text, Size: table.TimeTZ}, limit, true
}

// readTimeTZ reads microseconds since midnight, seconds west of Greenwich, and the number of digits of
// a second.
func readTimeTZ(text []byte) (micros int64, west, fraction int, ok bool) {
	m := offsetClock.FindSubmatch(text)
	if m == nil {
		return 0, 0, 0, false
	}
	number := func(i int) int64 {
		n, _ := strconv.ParseInt("0"+string(m[i]), 10, 64) // of digits, or blank
		return n
	}
	part := bytes.TrimRight(m[4], "0")
	micros = ((number(1)*60+number(2))*60 + number(3)) * 1e6
	for i, unit := 0, int64(1e5); i < len(part); i, unit = i+1, unit/10 {
		micros += int64(part[i]-'0') * unit
	}
	west = int(number(6)*60+number(7)) * 60
	if string(m[5]) == "+" {
		west = -west
	}
	return micros, west, len(part), true
}

// appendTimeTZ appends a time as the server's cast.
func appendTimeTZ(dst []byte, micros int64, west int) []byte {
	dst = value.AppendClock(dst, micros)
	if micros%1e6 != 0 {
		dst = bytes.TrimRight(dst, "0")
	}
	sign := '-'
	if west <= 0 {
		sign, west = '+', -west
	}
	dst = fmt.Appendf(dst, "%c%02d", sign, west/3600)
	minutes, seconds := west/60%60, west%60
	if minutes+seconds > 0 {
		dst = fmt.Appendf(dst, ":%02d", minutes)
	}
	if seconds > 0 { // written by other programs
		dst = fmt.Appendf(dst, ":%02d", seconds)
	}
	return dst
}

// encodeTimeTZ appends a time as timetz_recv reads it.
func encodeTimeTZ(dst, text []byte) []byte {
	micros, west, _, _ := readTimeTZ(text) // checked by the limit
	dst = binary.BigEndian.AppendUint64(dst, uint64(micros))
	return binary.BigEndian.AppendUint32(dst, uint32(int32(west)))
}

func timeTZText(field []byte) []byte {
	return appendTimeTZ(nil, int64(binary.BigEndian.Uint64(field)), int(int32(binary.BigEndian.Uint32(field[8:]))))
}
