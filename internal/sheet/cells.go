package sheet

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// The greatest sheet.
const (
	maxRows    = 1 << 20
	maxColumns = 1 << 14
)

// Cells is a part of a sheet, from 1 on and inclusive. The zero Cells is all.
type Cells struct{ FirstColumn, FirstRow, LastColumn, LastRow int }

// ParseCells reads a range such as B3:H200, B:H or B3.
func ParseCells(text string) (c Cells, err error) {
	if text == "" {
		return c, nil
	}
	m := cellRange.FindStringSubmatch(strings.ToUpper(text))
	if m == nil {
		return c, fmt.Errorf("cells %q: write a range such as B3:H200, or B:H", text)
	}
	c.FirstColumn, c.LastColumn = column(m[1]), column(m[3])
	c.FirstRow, _ = strconv.Atoi(m[2])
	c.LastRow, _ = strconv.Atoi(m[4])
	if c.LastColumn > 0 && c.LastColumn < c.FirstColumn || c.LastRow > 0 && c.LastRow < c.FirstRow || c.FirstColumn > maxColumns {
		return c, fmt.Errorf("cells %q: the second corner is before the first", text)
	}
	return c, nil
}

var cellRange = regexp.MustCompile(`^([A-Z]{1,3})(\d{0,7})(?::([A-Z]{1,3})(\d{0,7}))?$`)

// column returns the number of a column by its letters.
func column(letters string) (n int) {
	for _, c := range letters {
		n = n*26 + int(c-'A') + 1
	}
	return n
}

// Letters returns the letters of a column.
func Letters(column int) string {
	letters := ""
	for ; column > 0; column = (column - 1) / 26 {
		letters = string(rune('A'+(column-1)%26)) + letters
	}
	return letters
}

// String writes the range as ParseCells reads it.
func (c Cells) String() string {
	corner := func(column, row int) string {
		if row == 0 {
			return Letters(column)
		}
		return Letters(column) + strconv.Itoa(row)
	}
	switch {
	case c == Cells{}:
		return ""
	case c.LastColumn == 0:
		return corner(c.FirstColumn, c.FirstRow)
	}
	return corner(c.FirstColumn, c.FirstRow) + ":" + corner(c.LastColumn, c.LastRow)
}

// has reports whether a cell is in the range.
func (c Cells) has(row, col int) bool {
	return row >= c.FirstRow && (c.LastRow == 0 || row <= c.LastRow) && col >= c.FirstColumn && (c.LastColumn == 0 || col <= c.LastColumn)
}

// Meets reports whether two ranges that have both of their corners have a cell in
// common.
func (c Cells) Meets(o Cells) bool {
	return c.FirstRow <= o.LastRow && o.FirstRow <= c.LastRow && c.FirstColumn <= o.LastColumn && o.FirstColumn <= c.LastColumn
}

// first is the first column of the text of the range.
func (c Cells) first() int { return max(c.FirstColumn, 1) }

// Name is a part of a workbook that has a name: a range, or a table.
type Name struct {
	Name  string
	Sheet int // its index
	Cells Cells
}

// Resolve returns the sheets that a word means, as Choose does, and the cells of
// them: a range, or a name, which says the sheet too.
func (b *Book) Resolve(word, cells string) ([]int, Cells, error) {
	for _, n := range b.Names {
		if !strings.EqualFold(n.Name, cells) {
			continue
		}
		chosen := []int{n.Sheet}
		if word != "" {
			var err error
			chosen, err = Choose(b.Sheets, word)
			if err != nil {
				return nil, Cells{}, err
			}
		}
		if len(chosen) == 1 && chosen[0] == n.Sheet {
			return chosen, n.Cells, nil
		}
	}
	range_, err := ParseCells(cells)
	if err != nil {
		names := &NameError{Asked: cells}
		for _, n := range b.Names {
			names.Names = append(names.Names, fmt.Sprintf("%s (%s of %s)", n.Name, n.Cells, b.Sheets[n.Sheet].Name))
		}
		return nil, range_, names
	}
	chosen, err := Choose(b.Sheets, word)
	return chosen, range_, err
}

// addName adds a name for cells that are written as Sheet!$A$1:$B$2, as long as
// they are in one piece.
func (b *Book) addName(name, ref string) {
	i := strings.LastIndexByte(ref, '!')
	if i < 0 || name == "" {
		return
	}
	sheet := ref[:i]
	if strings.HasPrefix(sheet, "'") {
		sheet = strings.ReplaceAll(strings.Trim(sheet, "'"), "''", "'")
	}
	cells, err := ParseCells(strings.ReplaceAll(ref[i+1:], "$", ""))
	if err != nil {
		return
	}
	if cells.LastColumn == 0 { // one cell
		cells.LastColumn, cells.LastRow = cells.FirstColumn, cells.FirstRow
	}
	for n := range b.Sheets {
		if b.Sheets[n].Name == sheet {
			b.Names = append(b.Names, Name{name, n, cells})
		}
	}
}
