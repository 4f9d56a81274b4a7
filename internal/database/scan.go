package database

import "math/big"

// Text returns the text that a server gave, "" for NULL.
func Text(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

// Number returns the whole number that a server gave as text, 0 for NULL.
func Number(s *string) *big.Int {
	n, ok := new(big.Int).SetString(Text(s), 10)
	if !ok {
		return new(big.Int)
	}
	return n
}
