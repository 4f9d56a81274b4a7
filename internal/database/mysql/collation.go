package mysql

import (
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/refusal"
)

// collationRemarks explains keys that the server found equal although their text
// differs: by the collation of the columns of the key. It has none where no row was
// refused for its key.
func (s *sink) collationRemarks() (remarks []string, err error) {
	sameKey := slices.ContainsFunc(s.refused.Reasons, func(r refusal.Reason) bool { return r.Reason == database.SameKey })
	if !sameKey {
		return nil, nil
	}
	rows, err := s.t.Query(s.ctx, "SHOW FULL COLUMNS FROM "+s.table)
	if err != nil {
		return nil, err
	}
	for _, row := range rows {
		column, collation := row[0], row[2]
		leftOut := leftOutBy(collation)
		if len(leftOut) > 0 && slices.Contains(s.key, column) {
			remarks = append(remarks, database.CollationRemark(column, collation, leftOut))
		}
	}
	return remarks, nil
}

// leftOutBy returns what a collation leaves out of a comparison.
func leftOutBy(collation string) (parts []string) {
	collation = strings.ToLower(collation)
	padded := !strings.Contains(collation, "_nopad") && !strings.Contains(collation, "_0900_") && collation != "binary"
	if strings.HasSuffix(collation, "_ci") {
		parts = append(parts, "case")
	}
	if strings.HasSuffix(collation, "_ci") && !strings.Contains(collation, "_as_") {
		parts = append(parts, "accents")
	}
	if collation != "" && padded {
		parts = append(parts, "trailing spaces")
	}
	return parts
}
