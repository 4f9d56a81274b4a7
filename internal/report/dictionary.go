package report

import (
	"encoding/csv"
	"fmt"
	"io"
	"strings"

	"ambertray/internal/reject"
)

// DictionaryHeader are the columns of a data dictionary.
var DictionaryHeader = []string{"name", "heading", "type", "null", "key", "comment"}

// Dictionary returns the data dictionary: a row for each column of the table.
func (r *Report) Dictionary() (rows [][]string) {
	for _, c := range r.Columns {
		if c.Name == "" {
			continue
		}
		null, key, heading := "no", "", c.Heading
		if c.Nullable {
			null = "yes"
		}
		if c.Key {
			key = "key"
		}
		if c.Refers != nil {
			key = strings.TrimSpace(key + " → " + *c.Refers)
		}
		if c.Value != "" {
			heading = c.Value
		}
		rows = append(rows, []string{c.Name, heading, c.Type, null, key, c.Comment})
	}
	return rows
}

// markdown keeps a cell from ending its column, its row or its paragraph.
var markdown = strings.NewReplacer("|", `\|`, "\\", `\\`, "<", "&lt;", "&", "&amp;", "\r\n", "<br>", "\n", "<br>", "\r", "<br>", "`", "\\`", "*", `\*`, "_", `\_`, "[", `\[`)

// WriteMarkdown writes the data dictionary as a table of Markdown.
func (r *Report) WriteMarkdown(w io.Writer) error {
	var text strings.Builder
	fmt.Fprintf(&text, "# %s\n\n| %s |\n|%s\n", markdown.Replace(r.Table), strings.Join(DictionaryHeader, " | "), strings.Repeat(" --- |", len(DictionaryHeader)))
	for _, row := range r.Dictionary() {
		for i := range row {
			row[i] = markdown.Replace(row[i])
		}
		fmt.Fprintf(&text, "| %s |\n", strings.Join(row, " | "))
	}
	_, err := io.WriteString(w, text.String())
	return err
}

// WriteCSV writes the data dictionary as CSV, in which a spreadsheet program finds no
// formula.
func (r *Report) WriteCSV(w io.Writer) error {
	rows := r.Dictionary()
	for _, row := range rows {
		reject.Mark(row)
	}
	return csv.NewWriter(w).WriteAll(append([][]string{DictionaryHeader}, rows...))
}
