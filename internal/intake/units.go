package intake

import (
	"context"

	"ambertray/internal/source"
)

// Unit is a file or a sheet that makes a table of its own.
type Unit struct {
	File  string
	Sheet string // of a workbook with several
}

// Title is what people call the unit.
func (u Unit) Title() string { return (&Part{Name: u.File, Sheet: u.Sheet}).Title() }

// Units takes names, patterns, folders and workbooks apart into what makes a table each:
// of a workbook every sheet that is not hidden and has a value.
func Units(ctx context.Context, opener *source.Opener, names []string) (units []Unit, left LeftOut, err error) {
	list, err := List(names)
	if err != nil {
		return nil, left, err
	}
	for _, file := range list.Files {
		book, err := opener.Book(ctx, file)
		var sheets []Unit
		if err == nil && book != nil { // what is wrong with a file is said when it is read
			for _, s := range book.Sheets {
				if !s.Hidden && !s.Empty {
					sheets = append(sheets, Unit{file, s.Name})
				}
			}
		}
		if len(sheets) < 2 {
			sheets = []Unit{{File: file}}
		}
		units = append(units, sheets...)
	}
	return units, list.LeftOut, nil
}
