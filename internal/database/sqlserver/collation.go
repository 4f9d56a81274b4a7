package sqlserver

import (
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/refusal"
)

// collationRemarks explains keys that the server found equal although their text
// differs: by the collation of the columns of the key.
func (s *sink) collationRemarks() (remarks []string, err error) {
	if !slices.ContainsFunc(s.refused.Reasons, func(r refusal.Reason) bool { return r.Reason == database.SameKey }) {
		return nil, nil
	}
	live, err := s.x.t.columns(s.ctx, s.tab.Name)
	for _, c := range live {
		if c.collation != "" && slices.Contains(s.tab.Key, c.name) {
			remarks = append(remarks, database.CollationRemark(c.name, c.collation, leftOutBy(c.collation)))
		}
	}
	return remarks, err
}

// leftOutBy returns what a collation leaves out of a comparison.
func leftOutBy(collation string) (parts []string) {
	upper := strings.ToUpper(collation)
	if strings.Contains(upper, "_CI") {
		parts = append(parts, "case")
	}
	if strings.Contains(upper, "_AI") {
		parts = append(parts, "accents")
	}
	return append(parts, "trailing spaces")
}
