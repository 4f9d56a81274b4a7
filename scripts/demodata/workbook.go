package main

import (
	"fmt"
	"math/rand/v2"
	"os"
	"time"

	"github.com/xuri/excelize/v2"
)

// writeWorkbook writes the loans of the first months of a year, a sheet a month:
// with titles above and a total below, a spacer column, prices and dates as
// numbers with a format, and a few cells typed by hand. One sheet is empty, one
// is hidden, and in spring a column appears.
func writeWorkbook(path string) error {
	f := excelize.NewFile()
	defer f.Close()
	w := &workbook{File: f, rng: rand.New(rand.NewPCG(9, 4))}
	for month := 1; month <= 4; month++ {
		w.month(month)
	}
	w.try(f.DeleteSheet("Sheet1"))
	_, err := f.NewSheet("2026-05")
	w.try(err)
	_, err = f.NewSheet("Borrowers")
	w.try(err)
	for i, b := range borrowers {
		w.try(f.SetCellValue("Borrowers", fmt.Sprintf("A%d", i+1), b))
	}
	w.try(f.SetSheetVisible("Borrowers", false))
	w.try(f.SaveAs(path))
	w.try(os.Chmod(path, 0o644))
	return w.err
}

// spring is the month from which on the sheets have a column more.
const spring = 3

var couriers = []string{"ferry", "van", "by hand"}

// workbook keeps the first error of what is written into it.
type workbook struct {
	*excelize.File
	rng   *rand.Rand
	loans int
	err   error
}

func (w *workbook) try(err error) {
	if w.err == nil {
		w.err = err
	}
}

func (w *workbook) month(month int) {
	sheet := fmt.Sprintf("2026-%02d", month)
	_, err := w.NewSheet(sheet)
	w.try(err)
	date, err := w.NewStyle(&excelize.Style{NumFmt: 14})
	w.try(err)
	price, err := w.NewStyle(&excelize.Style{NumFmt: 4})
	w.try(err)
	w.try(w.SetCellValue(sheet, "A1", "Kestrel Bay Museum"))
	w.try(w.SetCellValue(sheet, "A2", "Loans of "+time.Month(month).String()))
	heading := []any{"Loan No", "Borrower", nil, "Lent On", "Due Back", "Fee", "Insured"}
	if month >= spring {
		heading = append(heading, "Courier")
	}
	w.try(w.SetSheetRow(sheet, "A4", &heading))
	row, total, easter := 5, 0.0, false
	for day := 1; day <= 28; day += 1 + w.rng.IntN(3) {
		lent := time.Date(2026, time.Month(month), day, 0, 0, 0, 0, time.UTC)
		fee := 1.1 * float64(w.rng.IntN(300)) // which floating point does not hold
		w.loans++
		cells := []any{fmt.Sprintf("%05d", 311+w.loans), pick(w.rng, borrowers), nil, lent, lent.AddDate(0, 0, 14+w.rng.IntN(90)), fee, w.rng.IntN(3) > 0}
		if month >= spring {
			cells = append(cells, pick(w.rng, couriers))
		}
		if month == spring && day > 20 && !easter {
			cells[4], easter = "after Easter", true
		}
		total += fee
		if month == 2 && row == 9 {
			cells[5] = fmt.Sprintf("%.2f", fee) // typed as text
		}
		w.try(w.SetSheetRow(sheet, fmt.Sprintf("A%d", row), &cells))
		w.try(w.SetCellStyle(sheet, fmt.Sprintf("D%d", row), fmt.Sprintf("E%d", row), date))
		w.try(w.SetCellStyle(sheet, fmt.Sprintf("F%d", row), fmt.Sprintf("F%d", row), price))
		row++
	}
	w.try(w.SetCellValue(sheet, fmt.Sprintf("A%d", row), "Total"))
	w.try(w.SetCellValue(sheet, fmt.Sprintf("F%d", row), total))
	w.try(w.SetCellStyle(sheet, fmt.Sprintf("F%d", row), fmt.Sprintf("F%d", row), price))
}
