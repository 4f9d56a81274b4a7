package pass

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"unicode"

	"ambertray/internal/convert"
	"ambertray/internal/figures"
	"ambertray/internal/record"
)

// Control is a total or a count that the source states below its records, compared
// with what was read and what converts.
type Control struct {
	Source string `json:"source"`
	Line   int64  `json:"line"`
	Column string `json:"column"` // "" for the number of records
	Stated string `json:"stated"`
	Read   string `json:"read"`   // of all records, as far as their cells can be read
	Loaded string `json:"loaded"` // of those that are not rejected
}

// Agrees reports whether what is stated was read, Complete whether it is all loaded.
func (c *Control) Agrees() bool   { return c.Stated == c.Read }
func (c *Control) Complete() bool { return c.Stated == c.Loaded }

// footer is what a part states below its records, and the totals to compare it with.
type footer struct {
	rows         []record.FooterRow
	totals, rest *figures.Totals
}

func (f *footer) add(conv *convert.Converter, k *convert.Block) {
	if f.totals == nil {
		f.totals, f.rest = conv.Totals(), conv.Totals()
	}
	f.rows = append(f.rows, k.Footer...)
	f.totals.Add(k.Totals())
	f.rest.Add(k.Rest())
}

// controls compares what the rows state. A row of averages, of one of several groups
// or of words alone states nothing. Without summed, columns were not added up.
func (f *footer) controls(conv *convert.Converter, part *Part, summed bool) (list []Control) {
	if len(f.rows) == 0 {
		return nil
	}
	loaded, rest := f.totals.Figures(), f.rest.Figures()
	for _, row := range f.rows {
		n, ok := statedCount(row.Cells)
		if ok {
			list = append(list, Control{part.Title(), row.Line, "", strconv.FormatInt(n, 10), fmt.Sprint(part.Loaded + part.Rejected), fmt.Sprint(part.Loaded)})
			continue
		}
		if !summed || !isTotal(row.Cells) {
			continue
		}
		for _, s := range conv.Stated(row.Cells) {
			list = append(list, Control{part.Title(), row.Line, conv.Name(s.Column), s.Sum, figures.AddSums(loaded[s.Column].Sum, rest[s.Column].Sum), loaded[s.Column].Sum})
		}
	}
	return list
}

var (
	// totalWords are the first words of a row that has sums.
	totalWords = regexp.MustCompile(`(?i)^\W*((grand|control)[ -]?)?(totals?|sum|summe|gesamt(summe)?)\W*$`)
	// countPhrase and countLabel state the number of records, countTag marks a row
	// whose one number does.
	countPhrase = regexp.MustCompile(`(?i)^\W*(?:total:?\s*)?(\d[\d,.' ]*)\s*(?:rows?|records?)\W*$`)
	countLabel  = regexp.MustCompile(`(?i)^\W*(?:(?:total|number of)\s*)?(?:rows?|records?|record count|row count|count)\W*[:=]\s*(\d[\d,.' ]*)$`)
	countTag    = regexp.MustCompile(`(?i)^\W*(rows?|records?|count|record count|row count|trailer|trl|tlr|eof)\W*$`)
)

// isTotal reports whether a row has sums: its first text says so, or it has no text.
func isTotal(cells []string) bool {
	for _, cell := range cells {
		cell = strings.TrimSpace(cell)
		if strings.ContainsFunc(cell, unicode.IsLetter) {
			return totalWords.MatchString(cell)
		}
	}
	return true
}

// statedCount returns the number of records that a row states.
func statedCount(cells []string) (n int64, ok bool) {
	var filled []string
	for _, cell := range cells {
		cell = strings.TrimSpace(cell)
		if cell != "" {
			filled = append(filled, cell)
		}
	}
	switch {
	case len(filled) == 1:
		for _, form := range []*regexp.Regexp{countPhrase, countLabel} {
			m := form.FindStringSubmatch(filled[0])
			if m != nil {
				return parseCount(m[1])
			}
		}
	case len(filled) == 2 && countTag.MatchString(filled[0]):
		return parseCount(filled[1])
	}
	return 0, false
}

// parseCount reads a whole number with or without signs between its digits.
func parseCount(text string) (n int64, ok bool) {
	digits := strings.Map(func(r rune) rune {
		if strings.ContainsRune(",.' ", r) {
			return -1
		}
		return r
	}, text)
	n, err := strconv.ParseInt(digits, 10, 64)
	return n, err == nil
}
