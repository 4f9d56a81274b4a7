package sheet

import (
	"fmt"
	"path"
)

// opening is where the parts of an Office Open XML workbook are.
type opening struct {
	main            string
	ids             []relation
	styles, strings string
}

func (p parts) opening() (o opening, err error) {
	list, err := p.relations("")
	if err != nil {
		return o, err
	}
	o.main = related(list, "officeDocument", "xl/workbook.xml")
	if p.file(o.main) == nil {
		return o, fmt.Errorf("%w: part %s is missing", ErrBroken, o.main)
	}
	o.ids, err = p.relations(o.main)
	if err != nil {
		return o, err
	}
	dir, ext := path.Dir(o.main), path.Ext(o.main)
	o.styles = related(o.ids, "styles", dir+"/styles"+ext)
	o.strings = related(o.ids, "sharedStrings", dir+"/sharedStrings"+ext)
	return o, nil
}

// sheet returns the part of a sheet, or "" for one that has no cells: a chart.
func (o *opening) sheet(id string) string {
	for _, r := range o.ids {
		if r.id == id && r.kind == "worksheet" {
			return r.part
		}
	}
	return ""
}

// openXML is what the two ways of writing an Office Open XML workbook have in
// common.
type openXML struct {
	parts
	values
	sheets  []string     // their parts
	strings func() error // reads the shared texts, once
}

func (x *openXML) size(i int) int64 { return x.parts.size(x.sheets[i]) }

// lookAt examines the part of each sheet, and at those of its tables.
func (x *openXML) lookAt(b *Book, sheet func(s *Sheet, part string) error, table func(sheet int, part string) error) error {
	for i, part := range x.sheets {
		if x.file(part) == nil {
			return fmt.Errorf("%w: part %s is missing", ErrBroken, part)
		}
		err := sheet(&b.Sheets[i], part)
		if err != nil {
			return err
		}
		list, err := x.relations(part)
		if err != nil {
			return err
		}
		for _, r := range list {
			if r.kind != "table" {
				continue
			}
			err := table(i, r.part)
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// begin makes ready what the rows of a sheet need: the shared texts, and the
// merged cells, which stand after the rows, where these are to be filled.
func (x *openXML) begin(i int, w *writer, merges func(part string) ([]Cells, error)) error {
	err := x.strings()
	if err != nil || !w.view.FillMerged {
		return err
	}
	list, err := merges(x.sheets[i])
	w.fillMerged(list)
	return err
}
