// Package convert turns the cells of records into typed values in a target's
// own wire format, or into rejects with a reason.
package convert

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"ambertray/internal/dialect"
	"ambertray/internal/record"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Encoder writes records in a target's wire format. Its methods are called by
// many goroutines at once and append to dst like the built-in append.
type Encoder interface {
	// AppendRecord begins a record.
	AppendRecord(dst []byte) []byte
	// AppendNull appends a NULL.
	AppendNull(dst []byte) []byte
	// Column returns the function that appends values of the type.
	Column(t table.Type) func(dst []byte, v *value.Value) []byte
}

// Block is what becomes of a batch.
type Block struct {
	Data    []byte  // the records that convert, encoded
	Ends    []int   // where each of them ends in Data
	Numbers []int64 // the number of each of them in the source
	Read    int64   // records of the batch
	Skipped record.Skipped
	Rejects []Reject
	Part    int // index of the file or sheet that they come from
	totals  *Totals
	home    *sync.Pool
}

// Free gives the block's memory back. Nothing of it may be used after.
func (k *Block) Free() { k.home.Put(k) }

// Reject is a record that is not loaded.
type Reject struct {
	Part         int // index of its file or sheet
	Record, Line int64
	Column       string // name of the column; "" when the record as a whole is at fault
	Value        string
	Reason       string
	More         []string // further reasons, each with its column and value
	Cells        []string // nil when the record has not as many cells as the source has columns
	Text         string   // the record as it stands in the source
}

// Converter is a plan made ready for one source. It is safe for use by many
// goroutines.
type Converter struct {
	width   int
	columns []column
	encoder Encoder
	blocks  sync.Pool
}

type column struct {
	name      string
	source    int
	nullable  bool
	nullWords []string
	parse     parser
	stored    table.Type
	asText    func(v *value.Value) []byte // for a type that the target keeps as text, or nil
	append    func(dst []byte, v *value.Value) []byte
}

// New returns a converter of records with the given headings into the loaded
// columns of t, for a server of dialect d. With no encoder the records are only judged.
func New(t *table.Table, headings []string, d *dialect.Dialect, enc Encoder) (*Converter, error) {
	if enc == nil {
		enc = discard{}
	}
	c := &Converter{width: len(headings), encoder: enc}
	for _, col := range t.Loaded() {
		source := slices.Index(headings, col.From)
		if source < 0 {
			return nil, &MissingError{Column: col.From, Headings: headings}
		}
		parse, err := newParser(col)
		if err != nil {
			return nil, err
		}
		stored := d.Stored(col.Type)
		c.columns = append(c.columns, column{
			name: col.Name, source: source, nullable: col.Nullable, nullWords: col.NullWords,
			parse: parse, stored: stored, asText: textWriter(col.Type, stored), append: enc.Column(stored),
		})
	}
	return c, nil
}

// textWriter returns what writes values of a type as text, where they are
// stored so, in a buffer that the next value may use again.
func textWriter(t, stored table.Type) func(v *value.Value) []byte {
	if t.Textual() || !stored.Textual() {
		return nil
	}
	switch t.Kind {
	case table.Decimal:
		return func(v *value.Value) []byte { return v.AppendDecimal(v.Buffer()) }
	case table.Date:
		return func(v *value.Value) []byte { return AppendDate(v.Buffer(), v.Int) }
	case table.Time:
		return func(v *value.Value) []byte { return AppendClock(v.Buffer(), v.Int) }
	case table.Timestamp:
		return func(v *value.Value) []byte { return AppendTimestamp(v.Buffer(), v.Int) }
	}
	return nil
}

// MissingError says that the source has no column with the heading.
type MissingError struct {
	Column   string
	Headings []string
}

func (e *MissingError) Error() string {
	return fmt.Sprintf("the source has no column %q; it has %s", e.Column, strings.Join(e.Headings, ", "))
}

// Worker returns a function that converts batches, for one goroutine.
func (c *Converter) Worker() record.Work[*Block] {
	values := make([]value.Value, len(c.columns))
	return func(b *record.Batch) (*Block, error) {
		k := c.block()
		k.Read, k.Skipped, k.Part = int64(b.Len()), b.Skipped, b.Part
		odd := 0
		for r := range b.Len() {
			broken := ""
			for ; odd < len(b.Oddities) && b.Oddities[odd].Record == r; odd++ {
				if what := b.Oddities[odd].What; what.Broken() {
					broken = what.String()
				}
			}
			switch {
			case broken != "":
				k.reject(b, r, "", "", broken)
			case b.Width(r) != c.width:
				k.reject(b, r, "", "", fmt.Sprintf("%d cells, not %d", b.Width(r), c.width))
			default:
				c.convert(k, b, r, values)
			}
		}
		return k, nil
	}
}

// block returns an empty block, one that was used before if there is any.
func (c *Converter) block() *Block {
	k, ok := c.blocks.Get().(*Block)
	if !ok {
		return &Block{home: &c.blocks, totals: c.Totals()}
	}
	k.Data, k.Ends, k.Numbers, k.Rejects = k.Data[:0], k.Ends[:0], k.Numbers[:0], nil
	k.totals.reset()
	return k
}

// convert parses every cell of a record first, so that a record with a bad
// cell leaves no trace in the block, and every bad cell of it is told.
func (c *Converter) convert(k *Block, b *record.Batch, r int, values []value.Value) {
	bad := false
	for i := range c.columns {
		col := &c.columns[i]
		cell := b.Cell(r, col.source)
		v := &values[i]
		var reason string
		switch {
		case value.Blank(cell) || len(col.nullWords) > 0 && isNullWord(col.nullWords, cell):
			v.Null = true
			if col.nullable {
				continue
			}
			reason = "no value, but the column is not nullable"
		default:
			reason = col.parse(cell, v)
			v.Null = false
		}
		if reason != "" {
			k.rejectCell(b, r, col.name, string(cell), reason, bad)
			bad = true
		}
	}
	if !bad {
		c.append(k, b, r, values)
	}
}

func (c *Converter) append(k *Block, b *record.Batch, r int, values []value.Value) {
	data := c.encoder.AppendRecord(k.Data)
	for i := range c.columns {
		v := &values[i]
		if v.Null {
			k.totals.Null(i)
			data = c.encoder.AppendNull(data)
			continue
		}
		if asText := c.columns[i].asText; asText != nil {
			v.Text = asText(v)
		}
		k.totals.Value(i, v)
		data = c.columns[i].append(data, v)
	}
	k.Data = data
	k.Ends = append(k.Ends, len(data))
	k.Numbers = append(k.Numbers, b.Number(r))
}

func isNullWord(words []string, cell []byte) bool {
	cell = value.Trim(cell)
	for _, w := range words {
		if len(w) == len(cell) && strings.EqualFold(w, string(cell)) {
			return true
		}
	}
	return false
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
	k.Rejects = append(k.Rejects, Reject{
		Part: b.Part, Record: b.Number(r), Line: b.Line(r), Column: column, Value: cell, Reason: reason, Text: string(b.Text(r)),
	})
}

// Loaded returns the number of records in the block's Data.
func (k *Block) Loaded() int64 { return int64(len(k.Ends)) }

// discard is the encoder of a dry run.
type discard struct{}

func (discard) AppendRecord(dst []byte) []byte { return dst }
func (discard) AppendNull(dst []byte) []byte   { return dst }
func (discard) Column(table.Type) func([]byte, *value.Value) []byte {
	return func(dst []byte, _ *value.Value) []byte { return dst }
}
