package database

import (
	"strings"

	"ambertray/internal/table"
)

// ColumnInfo is a column of a table as the server has it.
type ColumnInfo struct {
	Name   string
	Native string // the server's own name of its type
	// Type is the type that values are written as; nil where the column takes
	// any. Known is false where none of ours can be written to it.
	Type      *table.Type
	Limit     *table.Limit // of the values of that type, or nil
	Whole     *table.Type  // of a boolean that takes other whole numbers too
	Known     bool
	AnyNumber bool // it takes decimals of any size as they are
	Doubles   bool // it stores decimals that are too wide for the server as doubles
	Binary    bool // its values are bytes, which Rows returns unchanged
	Own       bool // its type has rules of its own: an enum, a domain, JSON
	Nullable  bool
	Default   bool // it has a default, or is an identity column
	Generated bool // the server computes it, and takes no values
}

// ParseColumns reads the columns of a table from the rows of a query for their names,
// native types, and whether they are nullable, have a default and are generated,
// a truth being 1. typeOf returns the type that goes into a native one.
func ParseColumns(rows [][]string, typeOf func(native string) (*table.Type, *table.Limit, bool)) (list []ColumnInfo) {
	for _, row := range rows {
		l := ColumnInfo{Name: row[0], Native: row[1], Nullable: row[2] == "1", Default: row[3] == "1", Generated: row[4] == "1"}
		l.Type, l.Limit, l.Known = typeOf(l.Native)
		list = append(list, l)
	}
	return list
}

// EnumType returns the type and the words of an enum, which is written as enum('a','b') with
// quotes doubled inside words. ok is false for other types.
func EnumType(native string) (t *table.Type, limit *table.Limit, ok bool) {
	words, ok := strings.CutPrefix(native, "enum(")
	if !ok {
		return nil, nil, false
	}
	return &table.Type{Kind: table.Text}, &table.Limit{Native: "enum", OneOf: QuotedWords(words)}, true
}

// QuotedWords returns the words of a list that are in quotes, which are doubled inside them.
func QuotedWords(list string) (words []string) {
	for {
		from := strings.IndexByte(list, '\'')
		if from < 0 {
			return words
		}
		list = list[from+1:]
		end := 0
		for end < len(list) && (list[end] != '\'' || end+1 < len(list) && list[end+1] == '\'') {
			if list[end] == '\'' {
				end++
			}
			end++
		}
		words = append(words, strings.ReplaceAll(list[:end], "''", "'"))
		list = list[min(end+1, len(list)):]
	}
}
