package handover

import (
	"encoding/json"
	"fmt"
	"strings"
	"text/template"

	"github.com/dustin/go-humanize"

	"ambertray/internal/reject"
	"ambertray/internal/table"
)

// readmeText is the README for the person who loads the rows.
const readmeText = `TABLE {{.Table}} FOR {{.Title}}

This folder contains the rows of the table {{.Table}} ({{.Rows}}), and everything you need to load
them with {{.Client}}, and to check that they arrived. They come from:
{{range .Sources}}
    {{.}}{{end}}

{{if .Typed}}Run these two commands in this folder. Replace the words in capitals:{{else}}Do these two things:{{end}}

  1.  {{.ToLoad}}
  2.  {{.ToVerify}}

The first creates the table and loads its rows. The second prints one line for each column: "agrees",
or the expected and the found figures. If every line says "agrees", the table has the same number of
rows, NULLs, extremes and sums as the rows in this folder.
{{if .Pack}}
The rows are packed. Unpack them first:  gunzip {{.Packed}}
{{end}}{{if .About}}
{{.About}}
{{end}}{{if .Rejected}}
Rejected: {{.Rejected}}. What did not fit the table is in {{.RejectFile}}, each record with its
reason, and not among the rows.
{{end}}
Files:
{{range .Files}}
    {{printf "%-16s" .Name}} {{.What}}{{end}}

To check that no file changed on the way:  sha256sum -c SHA256SUMS
`

var readmeTemplate = template.Must(template.New("readme").Parse(readmeText))

// whatFiles says what the files are for.
var whatFiles = map[string]string{
	tableFile:       "the definition of the table alone, to read",
	loadFile:        "creates the table and loads the rows",
	verifyFile:      "compares the table with the figures of the rows",
	columnsFile:     "the columns, as a JSON schema, for programs",
	reject.FileName: "records that did not fit",
}

func (h *handover) readme(r *Receipt) string {
	type file struct{ Name, What string }
	data := struct {
		Table, Title, Client, Rows, ToLoad, ToVerify, About, Packed, Rejected, RejectFile string
		Pack, Typed                                                                       bool
		Sources                                                                           []string
		Files                                                                             []file
	}{
		Table: r.Table, Title: h.Dialect.Title, Client: h.form.client, Rows: humanize.Comma(r.Counts.Rows), ToLoad: h.form.toLoad, ToVerify: h.form.toVerify,
		Pack: h.Pack, Typed: !strings.HasSuffix(h.form.toLoad, "."), RejectFile: reject.FileName,
	}
	if len(h.parts) > 0 {
		data.About = h.form.about
	}
	if r.Counts.Rejected > 0 {
		data.Rejected = humanize.Comma(r.Counts.Rejected)
	}
	for _, s := range r.Source {
		data.Sources = append(data.Sources, fmt.Sprintf("%s, %s bytes, SHA-256 %s", s.Source, humanize.Comma(s.Bytes), s.SHA256))
	}
	for _, f := range h.files {
		what, known := whatFiles[f.Name]
		if !known {
			what = "rows"
			data.Packed += " " + f.Name
		}
		data.Files = append(data.Files, file{f.Name, what})
	}
	data.Packed = strings.TrimSpace(data.Packed)
	data.Files = append(data.Files, file{receiptFile, "the counts and figures, for programs"}, file{sumsFile, "checksums"})
	var text strings.Builder
	_ = readmeTemplate.Execute(&text, data) // which has every field
	return text.String()
}

// columnsText is columns.json: the columns as a JSON Schema of draft 2020-12.
func (h *handover) columnsText() string {
	type property struct {
		Type        any    `json:"type"`
		Format      string `json:"format,omitempty"`
		MaxLength   int    `json:"maxLength,omitempty"`
		Description string `json:"description,omitempty"`
		SQL         string `json:"x-sql-type"`
	}
	properties, names := map[string]property{}, []string{}
	for _, c := range h.table.Loaded() {
		p := property{Description: c.Comment, SQL: h.Dialect.TypeName(c.Type)}
		kind := "string"
		switch {
		case c.Type.Whole():
			kind = "integer"
		case c.Type.Kind == table.Decimal, c.Type.Kind == table.Double:
			kind = "number"
		case c.Type.Kind == table.Boolean:
			kind = "boolean"
		case c.Type.Kind == table.Varchar, c.Type.Kind == table.Char:
			p.MaxLength = c.Type.Size
		}
		p.Format = jsonFormats[c.Type.Kind]
		p.Type = kind
		if c.Nullable {
			p.Type = []string{kind, "null"}
		}
		properties[c.Name] = p
		names = append(names, c.Name)
	}
	text, _ := json.MarshalIndent(struct {
		Schema     string              `json:"$schema"`
		Title      string              `json:"title"`
		Comment    string              `json:"description,omitempty"`
		Type       string              `json:"type"`
		Properties map[string]property `json:"properties"`
		Required   []string            `json:"required"`
		Key        []string            `json:"x-primary-key"`
	}{"https://json-schema.org/draft/2020-12/schema", h.table.Name, h.table.Comment, "object", properties, names, append([]string{}, h.table.Key...)}, "", "  ")
	return string(text) + "\n"
}

var jsonFormats = map[table.Kind]string{table.Date: "date", table.Time: "time", table.Timestamp: "date-time", table.TimestampTZ: "date-time", table.UUID: "uuid"}
