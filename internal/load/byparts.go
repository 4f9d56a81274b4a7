package load

import (
	"context"
	"fmt"
	"path/filepath"
	"strconv"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/pass"
	"ambertray/internal/record"
	"ambertray/internal/table"
)

// PartRows is a file or sheet of the source, and what the table has of it.
type PartRows struct {
	Source      string  `json:"source"`
	Sheet       *string `json:"sheet"`
	Read        int64   `json:"read"`
	Convertible int64   `json:"would_load"`
	Rejected    int64   `json:"would_reject"`
	Rows        *int64  `json:"table_rows"` // null where no column of the table says so
}

// Title is what people call the part.
func (p *PartRows) Title() string {
	if p.Sheet == nil {
		return p.Source
	}
	return p.Source + record.SheetSign + *p.Sheet
}

// partOf returns what a pass has read of a part.
func partOf(p *pass.Part) PartRows {
	return PartRows{Source: p.Name, Sheet: p.SheetName(), Read: p.Read, Convertible: p.Loaded, Rejected: p.Rejected}
}

// mend counts records that were corrected since.
func (p *PartRows) mend(records int64) {
	p.Convertible, p.Rejected = p.Convertible+records, p.Rejected-records
}

// countParts asks the table how many rows it has of each part, where it has the
// names of the files or sheets in columns of their own, and these identify the parts.
func countParts(ctx context.Context, to database.Target, t *table.Table, parts []PartRows) error {
	d := to.Dialect()
	var columns []string
	values := map[string]func(p *PartRows) string{}
	for _, c := range t.Loaded() {
		of := namesPart(c)
		if of != nil {
			columns = append(columns, d.Quote(c.Name))
			values[columns[len(columns)-1]] = of
		}
	}
	byKey := map[string]*PartRows{}
	for i := range parts {
		var key []string
		for _, c := range columns {
			key = append(key, values[c](&parts[i]))
		}
		byKey[strings.Join(key, "\x1f")] = &parts[i]
	}
	if len(columns) == 0 || len(byKey) < len(parts) {
		return nil
	}
	list := strings.Join(columns, ", ")
	rows, err := to.Query(ctx, fmt.Sprintf("SELECT count(*), %s FROM %s GROUP BY %s", list, d.QuoteTable(t.Name), list))
	if err != nil {
		return err
	}
	for i := range parts {
		parts[i].Rows = new(int64)
	}
	for _, row := range rows {
		p := byKey[strings.Join(row[1:], "\x1f")]
		if p != nil {
			*p.Rows, _ = strconv.ParseInt(row[0], 10, 64)
		}
	}
	return nil
}

// namesPart returns what a column has of a part, or nil for one that has
// something else or changes it.
func namesPart(c table.Column) func(p *PartRows) string {
	if !c.Type.Textual() || c.Type.Kind == table.Char || c.Words != nil || c.LetterCase != "" || c.NullWords != nil || c.Default != nil || c.PadZeros > 0 {
		return nil
	}
	switch c.Value {
	case "{sheet}":
		return func(p *PartRows) string {
			if p.Sheet == nil {
				return ""
			}
			return *p.Sheet
		}
	case "{file}":
		return func(p *PartRows) string { return filepath.Base(p.Source) }
	}
	return nil
}

// compareParts compares the rows of each part with those that the table has.
func compareParts(parts []PartRows) (diffs []Difference) {
	for i := range parts {
		p := &parts[i]
		if p.Rows != nil && *p.Rows != p.Convertible {
			diffs = append(diffs, Difference{Figure: "rows of " + p.Title(), Source: fmt.Sprint(p.Convertible), Table: fmt.Sprint(*p.Rows)})
		}
	}
	return diffs
}
