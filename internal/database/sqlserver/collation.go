package sqlserver

import (
	"fmt"
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
		equal := equalBy(c.collation)
		if equal != "" && slices.Contains(s.tab.Key, c.name) {
			remarks = append(remarks, fmt.Sprintf("the key column %s has the collation %s, in which values that differ only in %s are equal", c.name, c.collation, equal))
		}
	}
	return remarks, err
}

// equalBy returns what a collation leaves out of a comparison, "" for no collation.
func equalBy(collation string) string {
	if collation == "" {
		return ""
	}
	var parts []string
	upper := strings.ToUpper(collation)
	if strings.Contains(upper, "_CI") {
		parts = append(parts, "case")
	}
	if strings.Contains(upper, "_AI") {
		parts = append(parts, "accents")
	}
	parts = append(parts, "trailing spaces")
	last := len(parts) - 1
	if last == 0 {
		return parts[0]
	}
	return strings.Join(parts[:last], ", ") + " or " + parts[last]
}
