package database

// Copier copies the rows of a batch into a table, but for those that the server refuses.
type Copier struct {
	Batch *Batch
	// Try copies rows, by their indexes from up to, but not with, to: all of them, or
	// none.
	Try func(from, to int) error
	// Refused reports whether an error is about a row.
	Refused func(err error) bool
	// Sift removes the rows of the batch that break constraints, in one go. It is called
	// once at most, for an error of which Breaks is true.
	Sift   func() error
	Breaks func(err error) bool
	// Failed returns the index of the row that an error is about, if it says so.
	Failed func(err error, from, to int) (row int, known bool)
	// Refuse keeps a row that the server does not take.
	Refuse func(row int, err error)

	Rows   int64 // that were copied
	sifted bool
}

// minStep is how many rows are copied at least after one that was refused.
const minStep = 64

// Copy copies some rows, but for those that are refused. After one it continues in small
// steps, because refused rows tend to cluster.
func (c *Copier) Copy(from, to int) error {
	for step := to - from; from < to; {
		end := min(from+step, to)
		err := c.Try(from, end)
		if err == nil {
			c.Rows += int64(end - from)
			from, step = end, 2*step
			continue
		}
		if !c.Refused(err) {
			return err
		}
		if !c.sifted && c.Breaks(err) && end-from == c.Batch.Len() {
			c.sifted = true
			err := c.Sift()
			if err != nil {
				return err
			}
			to, step = c.Batch.Len(), c.Batch.Len()
			continue
		}
		row, known := c.Failed(err, from, end)
		if !known && end-from > 1 {
			step = (end - from) / 2
			continue
		}
		if row > from {
			err := c.Copy(from, row)
			if err != nil {
				return err
			}
		}
		c.Refuse(row, err)
		from, step = row+1, max(2*(row-from), minStep)
	}
	return nil
}
