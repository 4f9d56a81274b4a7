package record

import (
	"encoding/json"
	"slices"
)

// Rule is a rule by which rows are left out.
type Rule uint8

// The rules.
const (
	Title          Rule = iota // above the header
	Blank                      // without any value
	Comment                    // begins with the comment sign
	Ruler                      // drawn rather than written
	RepeatedHeader             // the header once more
	Footer                     // totals and notes at the end
	Hidden                     // hidden in the sheet, and to be left
	Description                // below the header, of the columns
	rules
)

var (
	ruleNames = [rules]string{"title", "blank line", "comment", "ruler line", "repeated header", "footer row", "hidden row", "description line"}
	ruleKeys  = [rules]string{"title", "blank", "comment", "ruler", "repeated_header", "footer", "hidden", "description"}
)

// String returns the rule's name, in the singular.
func (r Rule) String() string { return ruleNames[r] }

// Rules lists the rules.
func Rules() []Rule {
	return []Rule{Title, Description, Blank, Comment, Ruler, RepeatedHeader, Footer, Hidden}
}

// Skipped counts rows that are left out, by rule.
type Skipped [rules]int64

// Total returns the number of rows left out by any rule.
func (s Skipped) Total() (n int64) {
	for _, rows := range s {
		n += rows
	}
	return n
}

// Plus returns the sums of two counts.
func (s Skipped) Plus(o Skipped) Skipped {
	for i := range s {
		s[i] += o[i]
	}
	return s
}

// MarshalJSON writes the counts under the keys of their rules.
func (s Skipped) MarshalJSON() ([]byte, error) {
	counts := map[string]int64{}
	for i, rows := range s {
		counts[ruleKeys[i]] = rows
	}
	return json.Marshal(counts)
}

// UnmarshalJSON reads what MarshalJSON writes.
func (s *Skipped) UnmarshalJSON(text []byte) error {
	counts := map[string]int64{}
	err := json.Unmarshal(text, &counts)
	if err != nil {
		return err
	}
	for i, key := range ruleKeys {
		s[i] = counts[key]
	}
	return nil
}

// LeftOut is a row that was left out by a rule.
type LeftOut struct {
	Rule Rule
	Line int64
	Text string
}

// maxLeftOut is how many of the first rows left out a batch remembers.
const maxLeftOut = 8

// Skip counts the row Data[start:stop], which is not a record. Of those that have text
// it remembers the first and the last above the first record, which may be a header.
func (b *Batch) Skip(rule Rule, start, stop int) {
	b.Skipped[rule]++
	if rule == Blank || rule == Hidden {
		return
	}
	if len(b.left) < maxLeftOut || len(b.records) == 0 {
		b.left = append(b.left[:min(len(b.left), maxLeftOut)], leftOut{rule, start, stop})
	}
}

// leftOut is a LeftOut whose line is not known yet.
type leftOut struct {
	rule        Rule
	start, stop int
}

// LeftOut returns the rows with text that were left out of the batch, as far as it
// remembers them.
func (b *Batch) LeftOut() []LeftOut {
	list := slices.Clone(b.Above)
	for _, l := range b.left {
		line := b.FirstLine + b.countLines(0, l.start)
		list = append(list, LeftOut{l.rule, line, string(b.Data[l.start:l.stop])})
	}
	return list
}

// DropLast makes the last n records rows that were left out by a rule.
func (b *Batch) DropLast(n int, rule Rule) {
	n = min(n, b.Len())
	for r := b.Len() - n; r < b.Len(); r++ {
		if rule == Footer {
			b.Footer = append(b.Footer, b.footerRow(r))
		}
		b.Skip(rule, int(b.records[r].start), int(b.records[r].stop))
	}
	b.Truncate(b.Len() - n)
}

// FooterRow is a row below the last record.
type FooterRow struct {
	Line  int64
	Cells []string
}

func (b *Batch) footerRow(r int) FooterRow {
	row := FooterRow{Line: b.Line(r)}
	for c := range b.Width(r) {
		row.Cells = append(row.Cells, string(b.Cell(r, c)))
	}
	return row
}

// inOrder returns the cells in another order, as Remap does.
func (row FooterRow) inOrder(order []int) (cells []string) {
	for _, i := range order {
		cell := ""
		if i >= 0 {
			cell = row.Cells[i]
		}
		cells = append(cells, cell)
	}
	return cells
}
