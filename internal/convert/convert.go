// Package convert turns the cells of records into typed values in a target's
// own wire format, or into rejects with a reason.
package convert

import (
	"cmp"
	"fmt"
	"sync"

	"ambertray/internal/dialect"
	"ambertray/internal/figures"
	"ambertray/internal/note"
	"ambertray/internal/parse"
	"ambertray/internal/proof"
	"ambertray/internal/record"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
	"ambertray/internal/table"
	"ambertray/internal/template"
	"ambertray/internal/value"
)

// Encoder writes records in a target's wire format. Its methods are called by
// many goroutines at once and append to dst like the built-in append.
type Encoder interface {
	// AppendRecord begins a record.
	AppendRecord(dst []byte) []byte
	// AppendNull appends a NULL of a loaded column, by its index.
	AppendNull(dst []byte, column int) []byte
	// Column returns the function that appends values of a loaded column, which are of
	// the type.
	Column(column int, t table.Type) func(dst []byte, v *value.Value) []byte
}

// Block is what becomes of a batch.
type Block struct {
	Data    []byte  // the records that convert, encoded
	Ends    []int   // where each of them ends in Data
	Numbers []int64 // the number of each of them in the source
	Read    int64   // records of the batch
	Skipped record.Skipped
	Rejects []reject.Reject
	Part    int // index of the file or sheet that they come from
	// Hashes are those of the rows, if the pass asks for a proof.
	Hashes  []uint64
	Lines   []int64            // on which the rows begin, if the pass asks for them
	Texts   []string           // of the rows in the source, if the pass asks for them
	Footer  []record.FooterRow // below the last record of the part
	Odd     record.Occurrences
	Notes   []note.Note // on the batch
	altered Altered
	totals  *figures.Totals
	rest    *figures.Totals // of the numbers of records that do not convert
	keyed   []keyed
	home    *sync.Pool
}

// Totals returns the totals of the records that convert, which are the block's own.
func (k *Block) Totals() *figures.Totals { return k.totals }

// Rest returns the totals of the numbers in records that are rejected, as far as they
// can be read.
func (k *Block) Rest() *figures.Totals { return k.rest }

// Free gives the block's memory back. Nothing of it may be used after.
func (k *Block) Free() { k.home.Put(k) }

// Converter is a plan made ready for one source. It is safe for use by many
// goroutines.
type Converter struct {
	width   int
	columns []column
	blank   []spacer // columns that are left out because they have no value
	encoder Encoder
	blocks  sync.Pool
	key     []string // names of the key's columns
	refused *refusal.List
	wanted  Keys              // of refused records
	firsts  map[uint64]string // where the first record with each of them is
	kept    bool              // the records are from a file of rejects
	count   bool              // the values are added up
	hash    proof.RowHash     // of rows as the target stores them, or nil
	lines   bool              // the lines of the rows are kept
	texts   bool              // and their texts
}

type column struct {
	name      string
	heading   string           // its name, if it is computed
	source    int              // of its cells, unless it is computed
	compute   template.Compose // of a computed column
	rules     *rules
	nullable  bool
	standIn   []byte // the default: what a blank cell is read as, or nil
	nullWords []string
	parse     parse.Parser
	sum       parse.Parser // of what a footer states; of a number
	stored    table.Type
	asText    func(v *value.Value) []byte // for a type that the target keeps as text, or nil
	append    func(dst []byte, v *value.Value) []byte
}

// New returns a converter of records with the given headings, from the given
// origin, into the loaded columns of t, for a server of dialect d. With no
// encoder the records are only judged.
func New(t *table.Table, headings []string, from template.Origin, d *dialect.Dialect, enc Encoder) (*Converter, error) {
	if enc == nil {
		enc = discard{}
	}
	c := &Converter{width: len(headings), encoder: enc, kept: from.Kept, count: true, key: t.Key, refused: &refusal.List{}}
	at := table.Places(headings)
	for i, col := range t.Loaded() {
		if col.Limit == nil && d.Limit != nil {
			col.Limit = d.Limit(col.Type)
		}
		place, ok := at[col.From]
		if !ok && col.Value == "" {
			return nil, &template.MissingError{Column: col.From, Headings: headings}
		}
		stored := d.Stored(col.Type)
		next := column{
			name: col.Name, heading: cmp.Or(col.From, col.Name), source: place, stored: stored, asText: dialect.TextWriter(col.Type, stored), append: enc.Column(i, stored),
		}
		err := next.bind(col, headings, from)
		if err != nil {
			return nil, err
		}
		c.columns = append(c.columns, next)
	}
	return c, nil
}

// Totals returns totals for the columns as the target stores them.
func (c *Converter) Totals() *figures.Totals {
	var types []table.Type
	for i := range c.columns {
		types = append(types, c.columns[i].stored)
	}
	return figures.NewTotals(types)
}

// Name returns the name of a loaded column by its index.
func (c *Converter) Name(i int) string { return c.columns[i].name }

// Hash makes the converter hash the rows, unless h is nil.
func (c *Converter) Hash(h proof.RowHash) { c.hash = h }

// Lines makes the converter keep the lines of the rows, and their texts if texts is
// true.
func (c *Converter) Lines(texts bool) { c.lines, c.texts = true, texts }

// NoFigures makes the converter leave the values uncounted, so that its totals
// say nothing.
func (c *Converter) NoFigures() { c.count = false }

// bind finds out how the column's text is made and read.
func (c *column) bind(col table.Column, headings []string, from template.Origin) (err error) {
	if col.Value != "" {
		t, err := template.Parse(col.Value)
		if err != nil {
			return fmt.Errorf("column %s: value %w", col.Name, err)
		}
		c.compute, err = t.Bind(headings, from)
		if err != nil {
			return err
		}
	}
	err = c.bindRules(col)
	if err != nil {
		return err
	}
	if c.stored.Summable() {
		c.sum, err = sumParser(col, c.stored)
		if err != nil {
			return err
		}
	}
	return err
}

// bindRules sets how a cell is read.
func (c *column) bindRules(col table.Column) (err error) {
	c.nullable, c.nullWords = col.Nullable, col.NullWords
	c.rules, err = newRules(col)
	if err != nil {
		return err
	}
	c.parse, err = parse.New(col)
	if err != nil {
		return err
	}
	if col.Default != nil {
		c.standIn = []byte(*col.Default)
		_, err = parse.Default(col)
	}
	return err
}

// Worker returns a function that converts batches. It is for one goroutine.
func (c *Converter) Worker() record.Work[*Block] {
	values := make([]value.Value, len(c.columns))
	return func(b *record.Batch) (*Block, error) {
		k := c.block()
		k.Read, k.Skipped, k.Part, k.Footer = int64(b.Len()), b.Skipped, b.Part, b.Footer
		k.Odd.AddAll(b)
		odd := 0
		refused := c.refused.Cursor(refusal.Where{Part: b.Part, Record: b.Number(0)})
		for r := range b.Len() {
			why := refused.At(refusal.Where{Part: b.Part, Record: b.Number(r)})

			broken := ""
			for ; odd < len(b.Oddities) && b.Oddities[odd].Record == r; odd++ {
				what := b.Oddities[odd].What
				if what.Broken() {
					broken = what.String()
				}
			}
			switch {
			case broken != "":
				k.reject(b, r, "", "", broken)
			case b.Width(r) != c.width:
				k.reject(b, r, "", "", record.Misfit(b.Width(r), c.width))
			case c.kept && untouched(b, r):
				k.rejectCell(b, r, "", "", string(b.Cell(r, reject.ReasonCell)), false)
				k.Rejects[len(k.Rejects)-1].Text = string(b.Cell(r, b.Width(r)-1))
			case why != nil:
				c.refuse(k, b, r, why, values)
			default:
				c.convert(k, b, r, values)
			}
			if c.wanted != nil {
				c.noteKeys(k, b, r, why != nil, values)
			}
		}
		return k, nil
	}
}

// block returns an empty block, one that was used before if there is any.
func (c *Converter) block() *Block {
	k, ok := c.blocks.Get().(*Block)
	if !ok {
		return &Block{home: &c.blocks, altered: c.Altered(), totals: c.Totals(), rest: c.Totals()}
	}
	k.Data, k.Ends, k.Numbers, k.Hashes = k.Data[:0], k.Ends[:0], k.Numbers[:0], k.Hashes[:0]
	k.Lines, k.Texts = k.Lines[:0], k.Texts[:0]
	k.keyed, k.Rejects = k.keyed[:0], nil
	k.Odd, k.Notes = record.Occurrences{}, nil
	k.altered.reset()
	k.totals.Reset()
	k.rest.Reset()
	return k
}

// convert parses every cell of a record first, so that a record with a bad
// cell leaves no trace in the block, and every bad cell of it is reported.
func (c *Converter) convert(k *Block, b *record.Batch, r int, values []value.Value) {
	bad := c.rejectFilled(k, b, r)
	for i := range c.columns {
		col := &c.columns[i]
		cell := col.text(b, r)
		v := &values[i]
		reason := col.read(cell, v)
		if reason != "" {
			v.Null = true // so that it is not added up
			k.rejectCell(b, r, col.name, string(cell), reason, bad)
			bad = true
		}
	}
	if bad {
		c.addRest(k, values)
		return
	}
	c.append(k, b, r, values)
}

// read reads a cell, after its rules, and returns the reason why it cannot, or "".
func (c *column) read(cell []byte, v *value.Value) (reason string) {
	blank := value.Blank(cell) || len(c.nullWords) > 0 && value.IndexWord(c.nullWords, cell) >= 0
	switch {
	case blank && c.standIn != nil:
		cell = c.standIn
	case blank && c.nullable:
		v.Null = true
		return ""
	case blank:
		return "no value, but the column is not nullable"
	}
	v.Null = false
	return c.parse(cell, v)
}

// addRest adds up the numbers of a record that is rejected.
func (c *Converter) addRest(k *Block, values []value.Value) {
	for i := range c.columns {
		if !values[i].Null && c.columns[i].stored.Summable() && c.count {
			k.rest.Value(i, &values[i])
		}
	}
}

// text returns what the column is to be read from, in one record.
func (c *column) text(b *record.Batch, r int) (cell []byte) {
	if c.compute != nil {
		cell = c.compute(nil, b, r)
	} else {
		cell = b.Cell(r, c.source)
	}
	if c.rules != nil {
		cell = c.rules.apply(cell)
	}
	return cell
}

func (c *Converter) append(k *Block, b *record.Batch, r int, values []value.Value) {
	start := len(k.Data)
	data := c.encoder.AppendRecord(k.Data)
	for i := range c.columns {
		v := &values[i]
		col := &c.columns[i]
		if col.mayBeAltered(v) {
			k.altered.add(col, i, col.text(b, r), v)
		}
		if v.Null {
			if c.count {
				k.totals.Null(i)
			}
			data = c.encoder.AppendNull(data, i)
			continue
		}
		asText := col.asText
		if asText != nil {
			v.Text = asText(v)
		}
		if c.count {
			k.totals.Value(i, v)
		}
		data = col.append(data, v)
	}
	k.Data = data
	k.Ends = append(k.Ends, len(data))
	k.Numbers = append(k.Numbers, b.Number(r))
	if c.hash != nil {
		k.Hashes = append(k.Hashes, c.hash(values, data[start:]))
	}
	if c.lines {
		k.Lines = append(k.Lines, b.Line(r))
	}
	if c.texts {
		k.Texts = append(k.Texts, string(b.Text(r)))
	}
}

// rejectCell rejects a record for one of its cells, or adds to the reasons.
func (k *Block) rejectCell(b *record.Batch, r int, column, cell, reason string, again bool) {
	if again {
		last := &k.Rejects[len(k.Rejects)-1]
		last.More = append(last.More, fmt.Sprintf("%s %q: %s", column, cell, reason))
		return
	}
	k.reject(b, r, column, cell, reason)
	last := &k.Rejects[len(k.Rejects)-1]
	for c := range b.Width(r) {
		last.Cells = append(last.Cells, string(b.Cell(r, c)))
	}
}

func (k *Block) reject(b *record.Batch, r int, column, cell, reason string) {
	k.Rejects = append(k.Rejects, reject.Reject{
		Part: b.Part, Record: b.Number(r), Line: b.Line(r), Column: column, Value: cell, Reason: reason, Text: string(b.Text(r)),
	})
}

// Loaded returns the number of records in the block's Data.
func (k *Block) Loaded() int64 { return int64(len(k.Ends)) }

// Row returns an encoded record by its index.
func (k *Block) Row(i int) []byte {
	start := 0
	if i > 0 {
		start = k.Ends[i-1]
	}
	return k.Data[start:k.Ends[i]]
}

// DropThrough removes the encoded records up to one.
func (k *Block) DropThrough(w refusal.Where) {
	n := 0
	for n < len(k.Numbers) && (k.Part < w.Part || k.Part == w.Part && k.Numbers[n] <= w.Record) {
		n++
	}
	if n == 0 {
		return
	}
	cut := k.Ends[n-1]
	k.Data, k.Numbers, k.Ends = k.Data[cut:], k.Numbers[n:], k.Ends[n:]
	k.Hashes = k.Hashes[min(n, len(k.Hashes)):]
	for i := range k.Ends {
		k.Ends[i] -= cut
	}
}

// Head returns a block of the first n encoded records, which shares their memory.
func (k *Block) Head(n int) *Block {
	hashes := min(n, len(k.Hashes))
	return &Block{Part: k.Part, Data: k.Data[:k.Ends[n-1]], Ends: k.Ends[:n:n], Numbers: k.Numbers[:n:n], Hashes: k.Hashes[:hashes:hashes]}
}

// Pick returns a block of some encoded records, by their indexes in any order, with memory of its own.
func (k *Block) Pick(rows []int) *Block {
	picked := &Block{Part: k.Part}
	for _, i := range rows {
		picked.Data = append(picked.Data, k.Row(i)...)
		picked.Ends, picked.Numbers = append(picked.Ends, len(picked.Data)), append(picked.Numbers, k.Numbers[i])
	}
	return picked
}

// Remove removes encoded records, by their ascending indexes. The hashes stay.
func (k *Block) Remove(rows []int) {
	data, ends, numbers := k.Data[:0], k.Ends[:0], k.Numbers[:0]
	start := 0
	for i, end := range k.Ends {
		number := k.Numbers[i]
		if len(rows) > 0 && rows[0] == i {
			rows = rows[1:]
		} else {
			data = append(data, k.Data[start:end]...)
			ends, numbers = append(ends, len(data)), append(numbers, number)
		}
		start = end
	}
	k.Data, k.Ends, k.Numbers = data, ends, numbers
}

// discard is the encoder of a dry run.
type discard struct{}

func (discard) AppendRecord(dst []byte) []byte      { return dst }
func (discard) AppendNull(dst []byte, _ int) []byte { return dst }
func (discard) Column(int, table.Type) func([]byte, *value.Value) []byte {
	return func(dst []byte, _ *value.Value) []byte { return dst }
}

// untouched reports whether a record that could not be cut into its cells still
// has none.
func untouched(b *record.Batch, r int) bool {
	for c := reject.FirstCell; c < b.Width(r)-1; c++ {
		if !value.Blank(b.Cell(r, c)) {
			return false
		}
	}
	return true
}
