package database

import "strconv"

// ParseCount returns the count that a server gave as text, 0 where that is not a number.
func ParseCount(text string) int64 {
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return 0
	}
	return n
}
