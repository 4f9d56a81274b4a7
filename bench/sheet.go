package main

import (
	"archive/zip"
	"encoding/csv"
	"errors"
	"io"
	"os"
	"strconv"

	"github.com/xuri/excelize/v2"
)

// sheetRecords is how many records the workbook has.
const sheetRecords = 300_000

// writeBook writes the first records of the data as a workbook, numbers as
// numbers, and beside it as delimited text.
func writeBook(path, data string, n int) error {
	in, err := os.Open(data)
	if err != nil {
		return err
	}
	defer in.Close()
	part, err := os.Create(data + ".part.csv")
	if err != nil {
		return err
	}
	defer part.Close()
	f := excelize.NewFile()
	defer f.Close()
	sheet, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return err
	}
	reader, lines := csv.NewReader(in), csv.NewWriter(part)
	for i := range n + 1 {
		record, err := reader.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		err = lines.Write(record)
		if err != nil {
			return err
		}
		cell, err := excelize.CoordinatesToCellName(1, i+1)
		if err != nil {
			return err
		}
		err = sheet.SetRow(cell, cells(record, i > 0))
		if err != nil {
			return err
		}
	}
	lines.Flush()
	return errors.Join(lines.Error(), sheet.Flush(), f.SaveAs(path))
}

// cells makes numbers of what are numbers, but for the codes.
func cells(record []string, values bool) []any {
	row := make([]any, len(record))
	for i, text := range record {
		x, err := strconv.ParseFloat(text, 64)
		switch {
		case text == "":
		case values && err == nil && i != 1:
			row[i] = x
		default:
			row[i] = text
		}
	}
	return row
}

// floorUnzip unpacks the sheet with the standard library.
func floorUnzip(path string) error {
	archive, err := zip.OpenReader(path)
	if err != nil {
		return err
	}
	defer archive.Close()
	r, err := archive.Open("xl/worksheets/sheet1.xml")
	if err != nil {
		return err
	}
	defer r.Close()
	_, err = io.Copy(io.Discard, r)
	return err
}

// floorRows goes through the rows with the usual library.
func floorRows(path string) error {
	f, err := excelize.OpenFile(path)
	if err != nil {
		return err
	}
	defer f.Close()
	rows, err := f.Rows("Sheet1")
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		_, err := rows.Columns()
		if err != nil {
			return err
		}
	}
	return rows.Error()
}
