package survey

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/dustin/go-humanize"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/intake"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/proof"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// Relation is a column whose values are all in the unique column of another source: it is
// likely to refer to it.
type Relation struct {
	Source   string `json:"source"`
	Column   string `json:"column"`
	Table    string `json:"table"` // that it refers to
	Key      string `json:"key"`   // the column of that
	Evidence string `json:"evidence"`
}

// maxKeyValues is how many values of a key are compared: 8 bytes each.
const maxKeyValues = 10_000_000

// minValues is how many different values a column has at least, so that it is no
// coincidence where they are found.
const minValues = 3

// Relate finds the columns of sources that refer to others; tables are the names of
// their tables.
func Relate(ctx context.Context, from *source.Opener, surveys []*Survey, tables []string) (found []Relation, err error) {
	found = []Relation{}
	kind := kinds(surveys)
	for a, key := range surveys {
		for k := range key.Columns {
			to := &key.Columns[k]
			if !to.Key || key.Records > maxKeyValues || !refersBy(to.Choice.Type) {
				continue
			}
			var known []uint64
			for b, s := range surveys {
				if kind[a] == kind[b] {
					continue
				}
				for c := range s.Columns {
					if !s.Columns[c].mayRefer(to, tables[a]) {
						continue
					}
					if known == nil {
						known, err = columnHashes(ctx, from, key, k)
						if err != nil {
							return nil, err
						}
						slices.Sort(known)
					}
					within, err := s.within(ctx, from, c, known)
					if err != nil {
						return nil, err
					}
					if within {
						found = append(found, Relation{tables[b], s.Columns[c].Name, tables[a], to.Name,
							fmt.Sprintf("%s, all among its %s", note.Count(s.Columns[c].Distinct, "value", "values"), humanize.Comma(to.Distinct))})
					}
				}
			}
		}
	}
	return found, nil
}

// refersBy reports whether values of the type identify things.
func refersBy(t table.Type) bool { return t.Textual() || t.Whole() || t.Kind == table.UUID }

// mayRefer reports whether a column may refer to a key, by what the surveys say. Whole
// numbers are among 1 to N by coincidence, so that their headings must be alike too.
func (c *Column) mayRefer(key *Column, tableName string) bool {
	t := c.Choice.Type
	switch {
	case !refersBy(t) || t.Textual() != key.Choice.Type.Textual() || t.Whole() != key.Choice.Type.Whole():
		return false
	case c.Distinct < minValues || c.Distinct > key.Distinct:
		return false
	}
	like := func(name string) bool { return intake.Likest(c.Name, []string{name}) != "" }
	return t.Textual() && c.Longest <= key.Longest || like(key.Name) || like(tableName) || like(strings.TrimSuffix(tableName, "s"))
}

// within reports whether all values of a column are known.
func (s *Survey) within(ctx context.Context, from *source.Opener, column int, known []uint64) (bool, error) {
	hashes, err := columnHashes(ctx, from, s, column)
	if err != nil {
		return false, err
	}
	missing := slices.ContainsFunc(hashes, func(h uint64) bool {
		_, ok := slices.BinarySearch(known, h)
		return !ok
	})
	return !missing, nil
}

// columnHashes reads a source for the hashes of the values of one column, NULL left out.
func columnHashes(ctx context.Context, from *source.Opener, s *Survey, column int) (list []uint64, err error) {
	t := s.Draft("survey" + tray.Suffix)
	heading := s.Columns[column].Heading
	for i := range t.Table.Columns {
		c := &t.Table.Columns[i]
		c.LeaveOut = c.LeaveOut || c.From != heading
	}
	t.Table.Key = nil
	hash := proof.NewRowHash(dialect.PostgreSQL.StoredTypes(&t.Table))
	null := hash([]value.Value{{Null: true}}, nil)
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	_, err = p.Run(ctx, pass.Options{Dialect: dialect.PostgreSQL, NoFigures: true, Hash: hash, Block: func(k *convert.Block) error {
		for _, h := range k.Hashes {
			if h != null {
				list = append(list, h)
			}
		}
		return nil
	}})
	return list, err
}

// Alike groups sources that have the same columns, and so could be one table.
func Alike(surveys []*Survey) (groups [][]string) {
	var names [][]string
	for i, kind := range kinds(surveys) {
		if kind == len(names) {
			names = append(names, nil)
		}
		names[kind] = append(names[kind], surveys[i].Source)
	}
	groups = [][]string{}
	for _, group := range names {
		if len(group) > 1 {
			groups = append(groups, group)
		}
	}
	return groups
}

// kinds numbers the sources from 0: those with the same columns, in any order, have one number.
func kinds(surveys []*Survey) (kinds []int) {
	numbers := map[string]int{}
	for _, s := range surveys {
		var headings []string
		for _, c := range s.Columns {
			headings = append(headings, fmt.Sprintf("%q", c.Heading))
		}
		slices.Sort(headings)
		all := strings.Join(headings, ",")
		number, ok := numbers[all]
		if !ok {
			number = len(numbers)
			numbers[all] = number
		}
		kinds = append(kinds, number)
	}
	return kinds
}
