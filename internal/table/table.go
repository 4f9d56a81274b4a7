package table

// Table is what a plan makes of a source.
type Table struct {
	Name    string
	Key     []string // names of the columns of the primary key
	Columns []Column
}

// Column is one column of the table and the rules that fill it.
type Column struct {
	From     string // heading in the source
	Name     string // name in the table
	Type     Type
	Nullable bool
	LeaveOut bool // the source has it, the table does not

	Format    string   // of dates and times, as a Unicode pattern
	Thousands string   // the sign between groups of digits, if any
	Decimal   string   // the decimal sign; "" is the point
	NullWords []string // texts that mean 'no value', in any letter case
}

// Loaded returns the columns that the table has.
func (t *Table) Loaded() []Column {
	var cols []Column
	for _, c := range t.Columns {
		if !c.LeaveOut {
			cols = append(cols, c)
		}
	}
	return cols
}

// Column returns the column with the given name in the table, or nil.
func (t *Table) Column(name string) *Column {
	for i := range t.Columns {
		if c := &t.Columns[i]; !c.LeaveOut && c.Name == name {
			return c
		}
	}
	return nil
}
