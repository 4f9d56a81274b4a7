package tray

import (
	"slices"
	"strings"
	"unicode"

	"go.yaml.in/yaml/v3"

	"ambertray/internal/parse"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// columnNodes are the nodes of a column that are checked together.
type columnNodes struct{ typ, format, byDefault, characters, zone *yaml.Node }

// columnKeys are the keys of a column, and how each is read.
func columnKeys(c *table.Column, nodes *columnNodes) map[string]decoder {
	return map[string]decoder{
		"from":        headings(c),
		"value":       templateText(&c.Value),
		"name":        text(&c.Name),
		"type":        func(n *yaml.Node) error { nodes.typ = n; return nil },
		"format":      func(n *yaml.Node) error { nodes.format = n; return text(&c.Format)(n) },
		"nullable":    truth(&c.Nullable),
		"characters":  func(n *yaml.Node) error { nodes.characters = n; return nil },
		"leave_out":   leaveOut(c),
		"default":     func(n *yaml.Node) error { nodes.byDefault, c.Default = n, new(string); return text(c.Default)(n) },
		"comment":     text(&c.Comment),
		"thousands":   text(&c.Thousands, ",", ".", " ", "'"),
		"decimal":     text(&c.Decimal, ",", "."),
		"currency":    currency(&c.Currency),
		"percent":     truth(&c.Percent),
		"null_words":  list(&c.NullWords),
		"true_words":  list(&c.TrueWords),
		"false_words": list(&c.FalseWords),
		"references":  reference(&c.References),
		"trim":        truth(&c.Trim),
		"words":       pairs(&c.Words),
		"pad_zeros":   number(&c.PadZeros),
		"round":       truth(&c.Round),
		"zone":        func(n *yaml.Node) error { nodes.zone = n; return text(&c.Zone)(n) },
		"optional":    truth(&c.Optional),
		"letter_case": text(&c.LetterCase, "upper", "lower"),
	}
}

// ColumnKeys returns the keys of a column.
func ColumnKeys() []string { return sortedKeys(columnKeys(&table.Column{}, &columnNodes{})) }

func decodeColumn(n *yaml.Node) (table.Column, error) {
	c, nodes := table.Column{Nullable: true}, columnNodes{}
	err := mapping(n, columnKeys(&c, &nodes))
	if err != nil {
		return c, err
	}
	if (c.From == "") == (c.Value == "") {
		return c, wrong(n, "a column has either from, the heading in the source, or value, the text that it is computed from")
	}
	if c.LeaveOut {
		return c, nil
	}
	if c.Name == "" || nodes.typ == nil {
		return c, wrong(n, "column %q: needs a name and a type, or leave_out: true", c.From+c.Value)
	}
	return c, completeColumn(&c, n, &nodes)
}

// whileBlank is what leave_out says of a column that is left out because it has no value.
const whileBlank = "while_blank"

// leaveOut reads whether a column is left out, and whether only as long as it is blank.
func leaveOut(c *table.Column) decoder {
	return func(n *yaml.Node) error {
		c.Blank = n.Value == whileBlank
		if c.Blank {
			c.LeaveOut = true
			return nil
		}
		err := n.Decode(&c.LeaveOut)
		if err != nil {
			return wrong(n, "write true, while_blank or false, not %q", n.Value)
		}
		return nil
	}
}

// headings reads the heading of a column, or several headings: a source has one of them.
func headings(c *table.Column) decoder {
	return func(n *yaml.Node) error {
		if n.Kind != yaml.SequenceNode {
			return text(&c.From)(n)
		}
		var all []string
		err := list(&all)(n)
		if err != nil {
			return err
		}
		if len(all) == 0 {
			return wrong(n, "from: write one heading or more")
		}
		c.From, c.Also = all[0], all[1:]
		return nil
	}
}

// completeColumn sets the type and checks the rules of a column against it.
func completeColumn(c *table.Column, n *yaml.Node, nodes *columnNodes) (err error) {
	typ, format, byDefault := nodes.typ, nodes.format, nodes.byDefault
	c.Type, err = table.ParseType(typ.Value)
	if err != nil {
		return wrong(typ, "column %s: %v%s", c.Name, err, nearestType(typ.Value))
	}
	err = setCharacters(c, nodes.characters)
	if err != nil {
		return err
	}
	if strings.ContainsFunc(c.Name, unicode.IsControl) || strings.TrimSpace(c.Name) != c.Name {
		return wrong(find(n, c.Name), "column %q: a name has no control characters, and no space at its ends", c.Name)
	}
	if c.Optional && (c.From == "" || !c.Nullable && c.Default == nil) {
		return wrong(n, "column %s: an optional column is one of the source that has nullable: true or a default", c.Name)
	}
	err = checkNumber(c, n)
	if err != nil {
		return err
	}
	if len(c.TrueWords)+len(c.FalseWords) > 0 && (c.Type.Kind != table.Boolean || len(c.TrueWords) == 0 || len(c.FalseWords) == 0) {
		return wrong(n, "column %s: true_words and false_words are for boolean, and go together", c.Name)
	}
	for _, word := range c.TrueWords {
		if value.IndexWord(c.FalseWords, []byte(word)) >= 0 {
			return wrong(n, "column %s: %q is among both true_words and false_words", c.Name, word)
		}
	}
	if nodes.zone != nil {
		err := checkZone(*c, nodes.zone)
		if err != nil {
			return err
		}
	}
	if format != nil {
		err := checkFormat(*c, format)
		if err != nil {
			return err
		}
	}
	if byDefault != nil {
		_, err := parse.Default(*c)
		if err != nil {
			return wrong(byDefault, "%v", err)
		}
	}
	return nil
}

// nearestType suggests a type for one that is misspelled.
func nearestType(text string) string {
	word, _, _ := strings.Cut(strings.ToLower(text), "(")
	word = strings.TrimSpace(word)
	if slices.Contains(table.KindNames(), word) { // its size is wrong
		return ""
	}
	return nearest(word, table.KindNames())
}

// checkNumber checks the rules that are for numbers, and that of rounding, which is for times too.
func checkNumber(c *table.Column, n *yaml.Node) error {
	numeric := c.Type.Numeric()
	switch {
	case (c.Percent || c.Currency != "") && !numeric:
		return wrong(n, "column %s: only numbers have a percent sign or a currency, not %s", c.Name, c.Type)
	case (c.Thousands != "" || c.Decimal != "") && !numeric:
		return wrong(n, "column %s: only numbers have separators of thousands and decimals, not %s", c.Name, c.Type)
	case c.Thousands != "" && (c.Thousands == c.Decimal || c.Thousands == "." && c.Decimal == ""):
		return wrong(n, "column %s: %q cannot be both the thousands and the decimal separator", c.Name, c.Thousands)
	case c.Round && !numeric && !c.Type.HasClock():
		return wrong(n, "column %s: only numbers and times are rounded, not %s", c.Name, c.Type)
	}
	return nil
}

// setCharacters sets which characters a text has. Those of a computed one are not known.
func setCharacters(c *table.Column, n *yaml.Node) error {
	if n == nil {
		if c.Value != "" && c.Type.Textual() {
			c.Type.Characters = table.Unicode
		}
		return nil
	}
	i := slices.Index(table.CharacterWords(), n.Value)
	switch {
	case i < 0:
		return wrong(n, "column %s: characters %q: write one of %s%s", c.Name, n.Value, strings.Join(table.CharacterWords(), ", "), nearest(n.Value, table.CharacterWords()))
	case !c.Type.Textual():
		return wrong(n, "column %s: only texts have characters, not %s", c.Name, c.Type)
	}
	c.Type.Characters = table.Characters(i)
	return nil
}

func checkZone(c table.Column, n *yaml.Node) error {
	if c.Type.Kind != table.TimestampTZ {
		return wrong(n, "column %s: only timestamp with time zone has a zone, not %s", c.Name, c.Type)
	}
	_, err := value.ParseZone(c.Zone)
	if err != nil {
		return wrong(n, "column %s: %v", c.Name, err)
	}
	return nil
}

func checkFormat(c table.Column, n *yaml.Node) error {
	kinds := map[table.Kind]value.Kind{table.Date: value.Date, table.Time: value.Time, table.Timestamp: value.Timestamp, table.TimestampTZ: value.Instant}
	kind, ok := kinds[c.Type.Kind]
	if !ok {
		return wrong(n, "column %s: only dates and times have a format, not %s", c.Name, c.Type)
	}
	if c.Zone != "" {
		kind = value.Timestamp
	}
	_, err := value.ParseFormat(c.Format, kind)
	if err != nil {
		return wrong(n, "column %s: %v", c.Name, err)
	}
	return nil
}
