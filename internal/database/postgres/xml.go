package postgres

import (
	"bytes"
	"regexp"

	"ambertray/internal/table"
)

// xmlEncoding finds the encoding that a document declares.
var xmlEncoding = regexp.MustCompile(`^<\?xml\s[^>]*encoding\s*=\s*["']([^"']*)["']`)

// limitXML is that of columns of documents, which the server keeps as they are written. It would decode
// them by the encoding that they declare, although they are sent in UTF-8.
var limitXML = &table.Limit{Native: "xml", Text: func(text []byte) ([]byte, string) {
	m := xmlEncoding.FindSubmatch(text)
	if m != nil && !bytes.EqualFold(m[1], []byte("UTF-8")) {
		return nil, "declares the encoding " + string(m[1]) + ", not UTF-8"
	}
	return text, ""
}}
