package postgres

import (
	"context"
	"fmt"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

var _ database.Tightener = (*Target)(nil)

// patterns are the words of formats as the server writes them.
var patterns = strings.NewReplacer("'T'", "\"T\"", "EEE, ", "Dy, ", "yyyy", "YYYY", "yy", "YY", "MMM", "Mon", "MM", "MM", "dd", "DD", "HH", "HH24", "hh", "HH12", "mm", "MI", "ss", "SS", ".SSSSSS", ".US", "a", "AM", "XXX", "TZH:TZM")

// forms are the words of formats as regular expressions.
var forms = strings.NewReplacer("'T'", "T", ", ", ",? ", "EEE", "[[:alpha:]]+", "yyyy", "[0-9]{4}", "yy", "[0-9]{2}", "MMM", "[[:alpha:]]+[.]?", "MM", "[0-9]{1,2}", "dd", "[0-9]{1,2}",
	"HH", "[0-9]{1,2}", "hh", "[0-9]{1,2}", "mm", "[0-9]{2}", "ss", "[0-9]{2}", ".SSSSSS", "([.][0-9]{1,6})?", "a", "[AaPp][.]?[Mm][.]?", "XXX", " ?(Z|UTC|GMT|[-+][0-9:]+)", ".", "[.]")

// caster writes how the server reads texts.
var caster = dialect.Caster{
	Dialect: dialect.PostgreSQL, Truth: [2]string{"true", "false"},
	Trim: dialect.Trim, TrimAll: func(text string) string { return "BTRIM(" + text + `, E' \t\n\r\f\x0B')` },
	To: func(x string, t table.Type) string {
		return "CAST(" + x + " AS " + dialect.PostgreSQL.TypeName(t) + ")"
	},
	Formatted: func(x, pattern string, t table.Type) string {
		switch {
		case strings.HasPrefix(pattern, "yyyy-MM-dd"), strings.Contains(pattern, "MMM") && strings.Contains(pattern, "yyyy"):
			return "CAST(" + x + " AS " + dialect.PostgreSQL.TypeName(t) + ")" // in any form
		case strings.Contains(pattern, "XXX"): // to_timestamp reads no Z
			x = "REPLACE(" + x + ", 'Z', '+00:00')"
		}
		return fmt.Sprintf("CAST(to_timestamp(%s, %s) AS %s)", x, dialect.PostgreSQL.Literal(patterns.Replace(pattern)), dialect.PostgreSQL.TypeName(t))
	},
	Unformed: func(x, pattern string) string {
		form := forms.Replace(pattern)
		if !strings.Contains(pattern, "mm") {
			form += "([ T][0:.]+)?" // midnight
		}
		return x + " !~ " + dialect.PostgreSQL.Literal("^"+form+"$")
	},
	Matches: func(x, pattern string) string {
		return x + " ~ " + dialect.PostgreSQL.Literal("^"+strings.ReplaceAll(pattern, "*", ".*")+"$")
	},
}

// Caster implements database.Tightener.
func (*Target) Caster() *dialect.Caster { return &caster }

// Tighten implements database.Tightener: in one statement, which keeps indexes,
// constraints, comments, rights and triggers.
func (t *Target) Tighten(ctx context.Context, name string, columns []database.Tightened, key []string) (*database.Steps, map[string]string, error) {
	d := dialect.PostgreSQL
	of := regclass(name)
	err := database.NotTable(ctx, t, "change "+name, `SELECT CASE relkind WHEN 'v' THEN 'view' WHEN 'm' THEN 'materialized view' WHEN 'f' THEN 'foreign table' ELSE 'sequence' END
		FROM pg_class WHERE relkind NOT IN ('r', 'p') AND oid = `+of)
	if err != nil {
		return nil, nil, err
	}
	why, err := t.uses(ctx, of)
	if err != nil {
		return nil, nil, err
	}
	collations, err := t.collations(ctx, of)
	if err != nil {
		return nil, nil, err
	}
	s := &database.Steps{
		Transaction: true, Table: name, Lock: "LOCK TABLE " + d.QuoteTable(name) + " IN ACCESS EXCLUSIVE MODE", NoKey: database.KeyLacks(key, why),
	}
	var actions []string
	for i := range columns {
		c := &columns[i]
		if !c.Retyped {
			delete(why, c.Name)
		}
		action, reason := retype(c, collations[c.Name])
		if reason != "" {
			why[c.Name] = reason
		}
		if why[c.Name] == "" {
			actions = append(actions, action...)
		}
	}
	if len(key) > 0 {
		actions = append(actions, "ADD PRIMARY KEY ("+d.List(key)+")")
	}
	if actions != nil {
		s.Before = []string{"ALTER TABLE " + d.QuoteTable(name) + "\n    " + strings.Join(actions, ",\n    ")}
	}
	return s, why, nil
}

// uses says what keeps the server from changing the types of columns of a table, or us from
// leaving out what hangs on them. of is the table's identifier in the catalog.
func (t *Target) uses(ctx context.Context, of string) (map[string]string, error) {
	return database.Texts(ctx, t, `SELECT a.attname, CASE
				WHEN p.classid = 'pg_rewrite'::regclass THEN 'the view ' || (SELECT r.ev_class::regclass FROM pg_rewrite r WHERE r.oid = p.objid) || ' uses it'
				ELSE 'the ' || pg_describe_object(p.classid, p.objid, p.objsubid) || ' uses it' END
			FROM pg_depend p JOIN pg_attribute a ON a.attrelid = p.refobjid AND a.attnum = p.refobjsubid
			WHERE p.refclassid = 'pg_class'::regclass AND p.refobjid = `+of+` AND (
				p.classid IN ('pg_trigger'::regclass, 'pg_policy'::regclass, 'pg_proc'::regclass, 'pg_publication_rel'::regclass)
				OR p.classid = 'pg_rewrite'::regclass AND p.objid NOT IN (SELECT oid FROM pg_rewrite WHERE ev_class = p.refobjid)
				OR p.classid = 'pg_class'::regclass AND p.objid = p.refobjid AND p.objsubid <> p.refobjsubid
				OR p.classid = 'pg_attrdef'::regclass AND p.objid NOT IN (SELECT oid FROM pg_attrdef WHERE adrelid = p.refobjid AND adnum = p.refobjsubid))
		UNION ALL SELECT a.attname, '`+database.Partitioning+`' FROM pg_depend p JOIN pg_attribute a ON a.attrelid = p.objid AND a.attnum = p.objsubid
			WHERE p.classid = 'pg_class'::regclass AND p.objid = p.refobjid AND p.refobjsubid = 0 AND p.objid = `+of+`
		UNION ALL SELECT attname, 'it is inherited' FROM pg_attribute WHERE attinhcount > 0 AND attrelid = `+of+`
		UNION ALL SELECT a.attname, 'the check ' || c.conname || ' uses it' FROM pg_constraint c JOIN pg_attribute a ON a.attrelid = c.conrelid AND a.attnum = ANY (c.conkey) WHERE c.contype = 'c' AND c.conrelid = `+of+`
		UNION ALL SELECT a.attname, 'the foreign key ' || c.conname || ' uses it' FROM pg_constraint c JOIN pg_attribute a ON a.attrelid = `+of+`
			AND (c.conrelid = a.attrelid AND a.attnum = ANY (c.conkey) OR c.confrelid = a.attrelid AND a.attnum = ANY (c.confkey)) WHERE c.contype = 'f'`)
}

// collations returns the collations of the columns of a table that have another one than their types.
func (t *Target) collations(ctx context.Context, of string) (map[string]string, error) {
	return database.Texts(ctx, t, "SELECT attname, "+collationName+` FROM pg_attribute JOIN pg_type y ON y.oid = atttypid JOIN pg_collation l ON l.oid = attcollation
		WHERE `+ownCollation+" AND attrelid = "+of)
}

// retype writes what becomes of a column. A text keeps its collation.
func retype(c *database.Tightened, collation string) (actions []string, why string) {
	column := "ALTER COLUMN " + dialect.PostgreSQL.Quote(c.Name)
	if c.Retyped {
		action := column + " TYPE " + dialect.PostgreSQL.TypeName(c.Type)
		if collation != "" && c.Type.Textual() {
			action += " COLLATE " + collation
		}
		if c.Rewritten() {
			values, why := caster.Values(&c.Column, c.Width)
			if why != "" {
				return nil, why
			}
			action += " USING " + values
		} else if c.Rounded() {
			action += " USING " + caster.Narrower(&c.Column)
		} else if c.Type.Kind == table.Boolean { // of a number only 1 and 0 can be read
			action += " USING CAST(CAST(" + dialect.PostgreSQL.Quote(c.Name) + " AS text) AS boolean)"
		}
		actions = append(actions, action)
	}
	if !c.Nullable && c.Was.Nullable {
		actions = append(actions, column+" SET NOT NULL")
	}
	return actions, ""
}
