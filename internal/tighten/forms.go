package tighten

import (
	"context"
	"fmt"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// tryForms has the server read texts of every form that a column has. It leaves the column unchanged
// if the server does not read one of them as a load would.
func (p *Proposal) tryForms(ctx context.Context, to database.Target, caster *dialect.Caster, s *survey.Survey) error {
	for i := range p.Columns {
		t := &p.Columns[i].tightened
		if !t.Rewritten() || t.Type.Kind == table.Boolean || t.Type.Kind == table.UUID {
			continue
		}
		texts, values, err := read(&t.Column, s.Columns[i].Forms, to.Dialect())
		if err != nil {
			return err
		}
		same := sameForms(ctx, to, caster, t, texts, values)
		for k := 0; k < len(texts) && !same; k++ {
			if !sameForms(ctx, to, caster, t, texts[k:k+1], values[k:k+1]) {
				p.leave(&p.Columns[i], fmt.Sprintf("%s does not read %q as %s", to.Dialect().Title, texts[k], values[k]))
				break
			}
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
	return nil
}

// read returns the texts that are values by the rules of a column, and the values.
func read(c *table.Column, forms []string, d *dialect.Dialect) (texts, values []string, err error) {
	cell, err := convert.NewCell(*c, d)
	if err != nil {
		return nil, nil, err
	}
	for _, text := range forms {
		var v value.Value
		reason := cell.Read([]byte(text), &v)
		if reason == "" && !v.Null {
			texts, values = append(texts, text), append(values, string(convert.AppendText(nil, &v, c.Type)))
		}
	}
	return texts, values, nil
}

// sameForms reports whether the server reads the texts as the values. An error counts as no.
func sameForms(ctx context.Context, to database.Target, caster *dialect.Caster, t *database.Tightened, texts, values []string) bool {
	if len(texts) == 0 {
		return true
	}
	query, why := caster.Same(&t.Column, t.Width, texts, values)
	if why != "" {
		return true // Tighten reports why
	}
	rows, err := to.Query(ctx, query)
	return err == nil && database.ParseCount(rows[0][0]) == int64(len(texts))
}
