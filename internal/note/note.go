// Package note holds notes: what a person should know about the data because
// something was decided by it. Every command that decides prints them, and the
// receipt of a load keeps them.
package note

import (
	"strings"

	"github.com/dustin/go-humanize"
)

// Note is one note. Source is the file or sheet that it is about, nil for all of
// them; Line is 0 where it is not about a line, and Column nil where it is not
// about a column.
type Note struct {
	Source *string `json:"source"`
	Line   int64   `json:"line"`
	Column *string `json:"column"`
	What   string  `json:"what"`
}

// On returns a note about a column.
func On(column, what string) Note { return Note{Column: &column, What: what} }

// Of returns a note about a line of a part.
func Of(part string, line int64, what string) Note {
	return Note{Source: &part, Line: line, What: what}
}

// About returns a note about the whole source.
func About(what string) Note { return Note{What: what} }

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
func Names(list []string) string {
	more := len(list) - maxNamed
	if more <= 0 {
		return strings.Join(list, ", ")
	}
	return strings.Join(list[:maxNamed], ", ") + " and " + humanize.Comma(int64(more)) + " more"
}
