package sheet

import (
	"io"
	"regexp"
	"strings"
)

// ods is an OpenDocument.
type ods struct{ parts }

const odsContent = "content.xml"

// openODS reads which tables a document has.
func openODS(p parts) (*Book, error) {
	err := p.tags("META-INF/manifest.xml", func(name, _ []byte) error {
		if string(name) == "encryption-data" {
			return ErrEncrypted
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	b := &Book{Format: "ods", content: &ods{p}}
	hidden := map[string]bool{} // styles of tables that are not shown
	style := ""
	err = p.tags(odsContent, func(name, tag []byte) error {
		switch string(name) {
		case "style":
			style = attribute(tag, "name")
		case "table-properties":
			hidden[style] = attribute(tag, "display") == "false"
		case "table":
			b.Sheets = append(b.Sheets, Sheet{Name: attribute(tag, "name"), Hidden: hidden[attribute(tag, "style-name")], Empty: true})
		case "table-cell":
			n := len(b.Sheets) - 1
			if n >= 0 && b.Sheets[n].Empty {
				b.Sheets[n].Empty = attribute(tag, "value-type") == ""
			}
		case "named-range":
			b.addName(attribute(tag, "name"), fromODS(attribute(tag, "cell-range-address")))
		case "database-range":
			b.addName(attribute(tag, "name"), fromODS(attribute(tag, "target-range-address")))
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return b.found()
}

var odsAddress = regexp.MustCompile(`^\$?('(?:[^']|\'\')*'|[^.]+)\.([$A-Z0-9]+)(?::[^.]*\.([$A-Z0-9]+))?$`)

// fromODS writes an address, $Loans.$A$1:.$C$5, as Office Open XML does.
func fromODS(address string) string {
	m := odsAddress.FindStringSubmatch(address)
	if m == nil {
		return ""
	}
	return strings.TrimSuffix(m[1]+"!"+m[2]+":"+m[3], ":")
}

func (o *ods) size(int) int64 { return o.parts.size(odsContent) }

// write implements content.
func (o *ods) write(i int, w *writer) error {
	w.mergesAtCells()
	return o.ahead(odsContent, w, func(r io.Reader) error { return odsRows(newScanner(r), i, w) })
}
