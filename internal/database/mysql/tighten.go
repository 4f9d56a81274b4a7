package mysql

import (
	"context"
	"fmt"
	"regexp"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

var _ database.Tightener = (*Target)(nil)

// patterns are the words of formats as the server writes them.
var patterns = strings.NewReplacer("'T'", "T", "EEE", "%a", "yyyy", "%Y", "yy", "%y", "MMM", "%b", "MM", "%m", "dd", "%d", "HH", "%H", "hh", "%h", "mm", "%i", "ss", "%s", "SSSSSS", "%f", "a", "%p")

// caster writes how the server reads texts.
var caster = dialect.Caster{
	Dialect: dialect.MySQL, Truth: [2]string{"1", "0"}, ByFormat: true, // for a generated column must not depend on settings
	Trim: dialect.Trim, TrimAll: func(text string) string {
		return "TRIM(REPLACE(REPLACE(REPLACE(" + text + `, '\t', ' '), '\n', ' '), '\r', ' '))`
	},
	To: func(x string, t table.Type) string {
		switch {
		case t.Whole():
			return "CAST(" + x + " AS signed)"
		case t.HasClock():
			return fmt.Sprintf("STR_TO_DATE(%s, '%s')", x, clockPattern(t))
		case t.Kind == table.UUID, t.Kind == table.Boolean:
			return x
		case t.Kind == table.Double: // not every server can cast to it
			return "(" + x + " + 0e0)"
		}
		return "CAST(" + x + " AS " + t.String() + ")"
	},
	Formatted: func(x, pattern string, t table.Type) string {
		if t.Kind == table.Date && !strings.Contains(pattern, " ") {
			x = "SUBSTRING_INDEX(" + x + ", ' ', 1)" // without midnight
		}
		if strings.Contains(pattern, ",") { // some texts lack it
			x, pattern = "REPLACE("+x+", ',', '')", strings.ReplaceAll(pattern, ",", "")
		}
		return fmt.Sprintf("STR_TO_DATE(%s, %s)", x, dialect.MySQL.Literal(patterns.Replace(pattern)))
	},
	Unformed: func(x, pattern string) string {
		if strings.Contains(pattern, " ") {
			return "" // STR_TO_DATE refuses it
		}
		return x + " REGEXP '(?s) .*[^0:.]'"
	},
	Matches: func(x, pattern string) string {
		return x + " REGEXP " + dialect.MySQL.Literal("(?s)^"+strings.ReplaceAll(pattern, "*", ".*")+"$")
	},
}

// clockPattern is the pattern of the texts of a type with a time of day.
func clockPattern(t table.Type) string {
	pattern := "%H:%i:%s"
	if t.Kind != table.Time {
		pattern = "%Y-%m-%d " + pattern
	}
	if t.Fraction() > 0 {
		pattern += ".%f"
	}
	return pattern
}

// besidePrefix begins the names of columns that stand beside those that they are to
// replace.
const besidePrefix = "ambertray_new_"

// Caster implements database.Tightener.
func (*Target) Caster() *dialect.Caster { return &caster }

// Tighten implements database.Tightener. The server commits at every definition: the new
// values are computed in columns beside the old ones, while others are kept from the
// table, and take their place in one statement when they are proved. What hangs on the
// table stays; columns with an index are left.
func (t *Target) Tighten(ctx context.Context, name string, columns []database.Tightened, key []string) (*database.Steps, map[string]string, error) {
	d := dialect.MySQL
	quoted := d.QuoteTable(name)
	err := t.checkTable(ctx, name)
	if err != nil {
		return nil, nil, err
	}
	definition, err := t.Definition(ctx, name)
	if err != nil {
		return nil, nil, err
	}
	attributes := attributesIn(definition[0])
	why := usesIn(definition[0], attributes)
	if strings.Contains(definition[0], " WITH SYSTEM VERSIONING") {
		for i := range columns {
			why[columns[i].Name] = keepsHistory
		}
		return &database.Steps{Table: name, NoKey: true}, why, nil
	}
	s := &database.Steps{
		Table: name, Names: map[string]string{}, Lock: "LOCK TABLES " + quoted + " WRITE, " + quoted + " AS " + rowAlias + " WRITE", Release: []string{"UNLOCK TABLES"},
		NoKey: database.KeyLacks(key, why),
	}
	for left := range attributes {
		if strings.HasPrefix(left, besidePrefix) {
			return nil, nil, fmt.Errorf("table %s has a column of a run that was killed; drop it first: ALTER TABLE %s DROP COLUMN %s", name, quoted, d.Quote(left))
		}
	}
	var change tightening
	for i := range columns {
		c := &columns[i]
		switch {
		case strings.Contains(attributes[c.Name], " INVISIBLE"): // which must have a default, or be nullable
			why[c.Name] = "has the clause INVISIBLE"
		case !c.Retyped:
			delete(why, c.Name)
			change.last = append(change.last, "MODIFY "+d.Quote(c.Name)+" "+c.Was.Native+attributesOf(c, attributes))
		case why[c.Name] == "":
			beside := fmt.Sprintf("%s%d", besidePrefix, i+1)
			reason := change.retype(c, beside, attributesOf(c, attributes))
			if reason != "" {
				why[c.Name] = reason
				continue
			}
			s.Names[c.Name] = beside
		}
	}
	if change.added != nil {
		s.Before, s.Undo = []string{alter(quoted, change.added)}, []string{alter(quoted, change.dropped)}
	}
	if len(key) > 0 {
		change.last = append(change.last, "ADD PRIMARY KEY ("+d.List(key)+")")
	}
	if change.last != nil {
		s.After = []string{alter(quoted, change.last)}
	}
	return s, why, nil
}

// keepsHistory is why a table with system versioning is left: its old rows would change too.
const keepsHistory = "the table keeps the history of its rows"

// tightening is what is done to the columns of a table: those that are added beside, how
// they are dropped again, and what is done last.
type tightening struct{ added, dropped, last []string }

// retype puts the new values of a column into one beside it, or says why it cannot. rest
// is what its definition has after the type.
func (x *tightening) retype(c *database.Tightened, beside, rest string) (why string) {
	clause := ofType.FindString(c.Was.Native + quotedText.ReplaceAllString(rest, ""))
	if clause != "" {
		return "has the clause " + clause
	}
	d := dialect.MySQL
	values := d.Quote(c.Name)
	if c.Rewritten() {
		values, why = caster.Values(&c.Column, c.Width)
		if why != "" {
			return why
		}
	} else if c.Rounded() {
		values = narrower(c)
	}
	typ := d.TypeName(c.Type)
	if c.Type.Textual() {
		typ += characterSet.FindString(rest)
	}
	computed := typ
	if c.Type.HasClock() && c.Type.Fraction() > 0 { // a generated column has all digits of a second or none
		computed = d.TypeName(c.Type.WithFraction(table.Micros))
	}
	rest = characterSet.ReplaceAllString(rest, "")
	x.added = append(x.added, fmt.Sprintf("ADD COLUMN %s %s GENERATED ALWAYS AS (%s) STORED AFTER %s", beside, computed, values, d.Quote(c.Name)))
	x.dropped = append(x.dropped, "DROP COLUMN "+beside)
	x.last = append(x.last, "DROP COLUMN "+d.Quote(c.Name), fmt.Sprintf("CHANGE %s %s %s%s", beside, d.Quote(c.Name), typ, rest))
	return ""
}

// narrower converts the values of a column to a narrower type. A time is read from its text, because
// the server rounds times by a setting and refuses generated columns that depend on one.
func narrower(c *database.Tightened) string {
	if !c.Type.HasClock() {
		return caster.Narrower(&c.Column)
	}
	q, end := dialect.MySQL.Quote(c.Name), strings.Repeat("0", c.Was.Type.Fraction()-c.Type.Fraction())
	if c.Type.Fraction() == 0 {
		end = "." + end
	}
	return caster.Unless(fmt.Sprintf("%s NOT LIKE '%%%s'", q, end), fmt.Sprintf("LEFT(%s, CHAR_LENGTH(%s) - %d)", q, q, len(end)), &c.Column)
}

func attributesOf(c *database.Tightened, attributes map[string]string) string {
	if c.Nullable {
		return attributes[c.Name]
	}
	return notNull(attributes[c.Name])
}

func alter(quoted string, actions []string) string {
	return "ALTER TABLE " + quoted + "\n    " + strings.Join(actions, ",\n    ")
}

var (
	ofType        = regexp.MustCompile(`\b(ON UPDATE|COMPRESSED|zerofill)\b`) // clauses that only some types have
	characterSet  = regexp.MustCompile(`(?i)^( CHARACTER SET \w+)?( COLLATE \w+)?`)
	definedColumn = regexp.MustCompile("(?m)^  `((?:[^`]|``)+)` ([a-z]+(?:\\([^)]*\\))?(?: unsigned)?(?: zerofill)?)(.*?),?$")
)

// attributesIn returns what the definition of a table has after the types of its columns.
func attributesIn(definition string) map[string]string {
	rest := map[string]string{}
	for _, m := range definedColumn.FindAllStringSubmatch(definition, -1) {
		rest[strings.ReplaceAll(m[1], "``", "`")] = m[3]
	}
	return rest
}

var (
	quotedText  = regexp.MustCompile(`'(?:[^'\\]|\\.|'')*'`)
	definedPart = regexp.MustCompile("^  (?:(?:[A-Z]+ )*?(KEY|CONSTRAINT) )?`((?:[^`]|``)+)`(.*)")
)

// usesIn says which other parts of the definition of a table use its columns. The servers refuse to
// drop a column that some of them use, and drop others of them with it.
func usesIn(definition string, columns map[string]string) map[string]string {
	why := map[string]string{}
	for _, line := range strings.Split(definition, "\n")[1:] {
		line = quotedText.ReplaceAllString(line, "")
		part, what := definedPart.FindStringSubmatch(line), "the definition of the table uses it"
		switch {
		case strings.HasPrefix(line, "  PRIMARY KEY"):
			what = "the index PRIMARY uses it"
		case part == nil && strings.Contains(line, "PARTITION BY "):
			what = database.Partitioning
		case part == nil:
		case part[1] == "KEY":
			line, what = part[3], "the index "+part[2]+" uses it"
		case part[1] == "CONSTRAINT" && strings.HasPrefix(part[3], " CHECK"):
			line, what = part[3], "the check "+part[2]+" uses it"
		case part[1] == "CONSTRAINT":
			continue // a foreign key, which has an index
		default:
			line, what = part[3], "the column "+part[2]+" uses it"
		}
		for column := range columns {
			own := part != nil && part[1] == "" && strings.ReplaceAll(part[2], "``", "`") == column
			if !own && strings.Contains(line, quoteAlways(column)) {
				why[column] = what
			}
		}
	}
	return why
}

// quoteAlways quotes a name as the server does in definitions.
func quoteAlways(name string) string { return "`" + strings.ReplaceAll(name, "`", "``") + "`" }

// notNull makes attributes those of a column that is not NULL.
func notNull(rest string) string {
	rest = strings.Replace(rest, " DEFAULT NULL", "", 1)
	if strings.Contains(rest, " NOT NULL") {
		return rest
	}
	characters := characterSet.FindString(rest)
	rest = strings.TrimPrefix(rest, characters)
	return characters + " NOT NULL" + strings.TrimPrefix(rest, " NULL") // which timestamps have
}
