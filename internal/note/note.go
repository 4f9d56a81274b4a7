// Package note holds notes: what a person should know about the data because
// something was decided by it. Every command that decides prints them, and the
// receipt of a load keeps them.
package note

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/dustin/go-humanize"
)

// Note is one note. Source is the file or sheet that it is about, nil for all of
// them; Line is 0 where it is not about a line, and Column nil where it is not
// about a column.
type Note struct {
	// Counted is set if every command that reads the source counts this for itself.
	Counted bool    `json:"-"`
	Source  *string `json:"source"`
	Line    int64   `json:"line"`
	Column  *string `json:"column"`
	What    string  `json:"what"`
}

// On returns a note about a column.
func On(column, what string) Note { return Note{Column: &column, What: what} }

// Of returns a note about a line of a part.
func Of(part string, line int64, what string) Note {
	return Note{Source: &part, Line: line, What: what}
}

// About returns a note about the whole source.
func About(what string) Note { return Note{What: what} }

// Counted returns a note on something that every reader of the source counts.
func Counted(what string) Note { return Note{Counted: true, What: what} }

// countedOn returns a note on something that n values of a column have in common.
func countedOn(column, what string, n int64) Note {
	c := Counted(what + ": " + Count(n, "value", "values"))
	c.Column = &column
	return c
}

// NullWord returns a note on the values of a column that are read as NULL.
func NullWord(column, word string, n int64) Note {
	return countedOn(column, strconv.Quote(word)+" is read as NULL", n)
}

// Padded returns a note on the numbers of a column that lose their leading zeros.
func Padded(column string, n int64) Note {
	return countedOn(column, "leading zeros are left out, because the column is a number", n)
}

// Rounded returns a note on the values of a column that are rounded.
func Rounded(column string, n int64) Note {
	return countedOn(column, "rounded, because the plan says round: true", n)
}

// Default returns a note on the values of a column that are read as its default.
func Default(column, word, standIn string, n int64) Note {
	what := "blank cells are"
	if word != "" {
		what = strconv.Quote(word) + " is"
	}
	return countedOn(column, fmt.Sprintf("%s read as the default %q", what, standIn), n)
}

// Add adds a note, unless there is one that says the same of the same part or of the source, or
// is on the same line of a part.
func Add(notes []Note, n Note) []Note {
	for _, o := range notes {
		if equal(o.Source, n.Source) && (o.What == n.What && equal(o.Column, n.Column) || o.Line == n.Line && n.Line > 0) {
			return notes
		}
	}
	return append(notes, n)
}

func equal(a, b *string) bool { return a == b || a != nil && b != nil && *a == *b }

// Recount returns notes in which those that are counted are replaced by others.
func Recount(notes, counted []Note) []Note {
	isCounted := func(n Note) bool { return n.Counted }
	at := slices.IndexFunc(notes, isCounted)
	if at < 0 {
		at = len(notes)
	}
	return slices.Insert(slices.DeleteFunc(slices.Clone(notes), isCounted), at, counted...)
}

// Count writes a number and the words that follow it, which are other ones after 1.
func Count(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return humanize.Comma(n) + " " + many
}

// maxNamed is how many names a text lists.
const maxNamed = 5

// Names lists the first names, and says how many more there are.
func Names(list []string) string { return FirstNames(list, maxNamed) }

// FirstNames lists at most that many of some names, and says how many more there are.
func FirstNames(list []string, most int) string {
	more := len(list) - most
	if more <= 0 {
		return strings.Join(list, ", ")
	}
	return strings.Join(list[:most], ", ") + " and " + humanize.Comma(int64(more)) + " more"
}
