package mysql

import (
	"bytes"
	"slices"
	"strconv"
	"strings"

	"ambertray/internal/database"
)

// addsUp reports whether a bulk load has done what it should: every row is in and
// nothing was warned of, or each warning is of a row that was left out, as many
// as are missing, because its key is a duplicate. Those rows are refused.
func (s *sink) addsUp(missing int) (bool, error) {
	counted, err := s.t.Query(s.ctx, "SELECT @@warning_count")
	if err != nil || missing == 0 || s.keyAt < 0 {
		return err == nil && missing == 0 && counted[0][0] == "0", err
	}
	warnings, err := s.t.Query(s.ctx, "SHOW WARNINGS")
	if err != nil || len(warnings) != missing || counted[0][0] != strconv.Itoa(missing) { // the server lists only some of many
		return false, err
	}
	left := map[string]int{} // keys, and how many rows with each were left out
	for _, w := range warnings {
		key, ok := duplicateKey(w[1], w[2])
		if !ok {
			return false, nil
		}
		left[key]++
	}
	rows, ok := s.leftOut(left)
	if !ok {
		return false, nil
	}
	s.batch.Refuse(rows, s.key, &s.refused)
	return true, nil
}

// longestKey is how much of a key the server's warnings show for sure.
const longestKey = 60

// duplicateKey returns the key that a warning is about, if it is that one is
// there already.
func duplicateKey(code, message string) (key string, ok bool) {
	rest, found := strings.CutPrefix(message, "Duplicate entry '")
	key, index, more := strings.Cut(rest, "' for key '")
	ok = found && more && code == "1062" && (index == "PRIMARY'" || strings.HasSuffix(index, ".PRIMARY'"))
	return key, ok && len(key) <= longestKey
}

// leftOut returns the ascending numbers, from 1 on, of the rows of the batch that
// were left out. Rows go in in order, so that of those with the same key it is
// the last ones: all of them, or all but the first. ok is false where that is
// not so, and it is not known.
func (s *sink) leftOut(left map[string]int) (rows []int, ok bool) {
	with := map[string][]int{}
	for i := range s.batch.Len() {
		key := field(s.row(i), s.keyAt)
		if left[string(key)] > 0 {
			with[string(key)] = append(with[string(key)], i+1)
		}
	}
	for key, n := range left {
		all := with[key]
		if n != len(all) && n != len(all)-1 {
			return nil, false
		}
		rows = append(rows, all[len(all)-n:]...)
	}
	slices.Sort(rows)
	return rows, true
}

// field returns a field of a row of the bulk load as it is written there.
func field(row []byte, n int) []byte {
	for ; n > 0; n-- {
		row = row[bytes.IndexByte(row, '\t')+1:]
	}
	i := bytes.IndexByte(row, '\t')
	if i >= 0 {
		row = row[:i]
	}
	return row
}

var _ database.Sink = (*sink)(nil)
