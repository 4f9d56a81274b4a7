package survey_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/note"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/survey"
)

// run surveys texts as the files of one source.
func run(t *testing.T, o survey.Options, texts ...string) *survey.Survey {
	t.Helper()
	dir := t.TempDir()
	var files []string
	for i, text := range texts {
		file := filepath.Join(dir, fmt.Sprintf("part-%d.csv", i))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		files = append(files, file)
	}
	s, err := survey.Run(context.Background(), &source.Opener{}, files, o)
	require.NoError(t, err)
	return s
}

const table = "No,Name,Mass\n1,gnat,2.5\n2,fern,3.5\n3,moss,1.0\n"

// TestFooter finds totals and notes at the end, and nothing else.
func TestFooter(t *testing.T) {
	for _, c := range []struct {
		name, end string
		rows      int64
	}{
		{"none", "", 0},
		{"a total", "Total,,7.0\n", 1},
		{"a total in every cell", "Total,3,7.0\n", 1},
		{"a grand total below sums", "Subtotal,,7.0\nGrand total:,,7.0\n", 2},
		{"a note", "Source: the museum's ledger\n", 1},
		{"a total, a blank line and a note", "Total,,7.0\n\nPrinted 2026-11-01 by the keeper\n", 2},
		{"a sentence", "weighed without the box\n", 1},
		{"a record cut off", "4,be\n", 0},
		{"a name that is no total", "4,Total eclipse,3.0\n", 0},
		{"a total among the records", "Total,,7.0\n4,bark,1.5\n", 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := run(t, survey.Options{}, table+c.end)
			require.Equal(t, c.rows, s.Skipped[record.Footer])
			require.Equal(t, c.rows > 0, s.Layout.FindFooter)
			if c.rows > 0 {
				require.Equal(t, int64(3), s.Records)
				require.Equal(t, "integer", s.Columns[0].Type, "the total is no evidence")
			}
		})
	}
	kept := run(t, survey.Options{Override: func(l *source.Layout) { require.NoError(t, l.Set("footer", "0")) }}, table+"Total,,7.0\n")
	require.Equal(t, int64(4), kept.Records, "what is set is not detected")
}

// TestServerEscapes says what becomes of backslashes in a text that a server seems to have written.
func TestServerEscapes(t *testing.T) {
	for text, want := range map[string]string{
		"no\tname\tnote\n1\tant\\tlion\t\\N\n2\t\\N\tx\n":                     "backslashes are escapes, as servers write them",
		"no\tname\tnote\n1\tant\\lion\t\\N\n2\t\\N\tx\n":                      "other backslashes are kept unchanged, as not all begin escapes",
		"no\tname\n1\tant\\tlion\n2\tn/a\n":                                   "",
		"no\tname\n1\t\\N\n" + strings.Repeat("2\tant\n", 9999) + "3\ta\\q\n": "backslash that begins no escape, read as text",
	} {
		said := ""
		for _, n := range run(t, survey.Options{}, text).Notes {
			if strings.Contains(n.What, "backslash") {
				said += n.What + " "
			}
		}
		require.True(t, strings.Contains(said, want) && (want != "" || said == ""), "%.60q: %s", text, said)
	}
}

// TestTypedIsNoNews notes what was detected, and not what was typed.
func TestTypedIsNoNews(t *testing.T) {
	text := "1;'a b'\n2;'c'\n"
	for _, c := range []struct{ setting, value, detected, typed string }{
		{"header", "none", "no header was found: columns are numbered; --header LINE sets it", ""},
		{"quote", "'", "cells are quoted with '", ""},
		{"quote", "none", "cells are quoted with '", "no header was found: columns are numbered; --header LINE sets it"},
	} {
		says := func(o survey.Options, what string) bool {
			return slices.ContainsFunc(run(t, o, text).Notes, func(n note.Note) bool { return n.What == what })
		}
		typed := survey.Options{Override: func(l *source.Layout) { require.NoError(t, l.Set(c.setting, c.value)) }}
		require.True(t, says(survey.Options{}, c.detected))
		require.False(t, says(typed, c.detected), c.setting)
		require.True(t, c.typed == "" || says(typed, c.typed), "the other notes stay")
	}
}

// TestSample reads no more than it was asked to, and says so.
func TestSample(t *testing.T) {
	text := "No,Name\n" + strings.Repeat("1,gnat\n", 100_000) + "x,y\n"
	s := run(t, survey.Options{Sample: 1500, Rows: 7}, text)
	require.True(t, s.Sampled)
	require.Equal(t, int64(1500), s.Records)
	require.Len(t, s.Rows, 7)
	require.Equal(t, "in the first 1,500 records: 1,500 whole numbers; always 1", s.Columns[0].Evidence)
	whole := run(t, survey.Options{Sample: 200_000}, text)
	require.False(t, whole.Sampled)
	require.Equal(t, "1 is not", strings.Split(*whole.Columns[0].Obstacle, ", but ")[1][:8])
}

// TestParts reports for each oddity which file it is in, and on which line.
func TestParts(t *testing.T) {
	s := run(t, survey.Options{}, table, "No,Name,Mass\n4,\"say \"Größe, Käfer\" now\",1\n\n5,x\n6,\xff,2\n7,\"open,3\n")
	require.Equal(t, int64(7), s.Records)
	require.Equal(t, int64(1), s.Ragged)
	require.Equal(t, int64(1), s.Broken)
	var reported []string
	for _, o := range s.Oddities {
		column := "-"
		if o.Column != nil {
			column = *o.Column
		}
		reported = append(reported, fmt.Sprintf("%s:%d %s %s", filepath.Base(o.Source), o.Line, column, o.What))
	}
	require.Equal(t, []string{
		"part-1.csv:2 Name quote inside a quoted cell",
		"part-1.csv:4 - 2 cells, not 3",
		"part-1.csv:5 Name bytes that are not valid in the encoding",
		"part-1.csv:6 Name quote at the beginning of a cell, read as text",
	}, reported)
	tray := s.Draft(filepath.Join(t.TempDir(), "part.tray"))
	require.Equal(t, "part", tray.Table.Name)
	require.Contains(t, tray.Notes["source"][0], "--fill-short")
}

// TestKey takes a unique column that is placed or named like a key.
func TestKey(t *testing.T) {
	for text, key := range map[string][]string{
		table:                             {"no"},
		"Colour,Loan No\nred,1\nred,2\n":  {"loan_no"},
		"Colour,Mass\nred,1.5\nred,2.5\n": nil,
		"Mass,Name\n1.5,a\n2.5,b\n":       nil,
		"Loan No,Name\n1,a\n,b\n3,c\n":    nil,
		"Loan No,Name\n1,a\n1,b\n":        nil,
		"Note\n" + strings.Repeat("x", 90) + "\n" + strings.Repeat("y", 80) + "\n": nil,
	} {
		require.Equal(t, key, run(t, survey.Options{}, text).Draft("x.tray").Table.Key, text)
	}
}
