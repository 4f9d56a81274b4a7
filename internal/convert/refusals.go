package convert

import (
	"cmp"
	"encoding/json"
	"fmt"
	"hash/maphash"
	"io"
	"iter"
	"slices"
	"strconv"
	"strings"

	"ambertray/internal/record"
	"ambertray/internal/value"
)

// Where is a record: the index of its file or sheet, and its number there.
type Where struct {
	Part   int
	Record int64
}

// Compare orders records as the source has them.
func (w Where) Compare(o Where) int {
	return cmp.Or(cmp.Compare(w.Part, o.Part), cmp.Compare(w.Record, o.Record))
}

// Refusal is a row that converts and that the server does not take.
type Refusal struct {
	Where
	Columns []string // that are at fault, if that is known
	Reason  string   // the same for all rows that are refused for it
}

// Refusals are many of them, for few reasons, in little memory. The zero value
// is none.
type Refusals struct {
	Reasons []Reason
	list    []refused
}

// Reason is what refusals have in common.
type Reason struct {
	Columns []string `json:"columns"`
	Reason  string   `json:"reason"`
}

// refused is a run of records, one after the other, that are refused for the
// same reason.
type refused struct {
	Where
	records int64
	reason  int // index in Reasons
}

// Len returns their number.
func (r *Refusals) Len() (n int) {
	for _, x := range r.list {
		n += int(x.records)
	}
	return n
}

// Add takes in one.
func (r *Refusals) Add(x Refusal) {
	why := slices.IndexFunc(r.Reasons, func(w Reason) bool { return w.Reason == x.Reason && slices.Equal(w.Columns, x.Columns) })
	if why < 0 {
		why = len(r.Reasons)
		r.Reasons = append(r.Reasons, Reason{x.Columns, x.Reason})
	}
	if n := len(r.list); n > 0 {
		last := &r.list[n-1]
		if last.reason == why && last.Part == x.Part && last.Record+last.records == x.Record {
			last.records++
			return
		}
	}
	r.list = append(r.list, refused{x.Where, 1, why})
}

// All returns each of them.
func (r *Refusals) All() iter.Seq[Refusal] {
	return func(yield func(Refusal) bool) {
		for _, x := range r.list {
			for n := range x.records {
				at := Where{x.Part, x.Record + n}
				if !yield(Refusal{at, r.Reasons[x.reason].Columns, r.Reasons[x.reason].Reason}) {
					return
				}
			}
		}
	}
}

// Append takes in those of another list.
func (r *Refusals) Append(o *Refusals) {
	for x := range o.All() {
		r.Add(x)
	}
}

// DropAfter takes out those of records behind one.
func (r *Refusals) DropAfter(w Where) {
	var kept []refused
	for _, x := range r.list {
		if x.Compare(w) > 0 {
			continue
		}
		if x.Part == w.Part {
			x.records = min(x.records, w.Record-x.Record+1)
		}
		kept = append(kept, x)
	}
	r.list = kept
}

// sort puts them into the order of the source, which a cursor needs.
func (r *Refusals) sort() {
	slices.SortFunc(r.list, func(a, b refused) int { return a.Compare(b.Where) })
}

// Cursor returns a cursor that looks up records, from one on, in their order.
func (r *Refusals) Cursor(from Where) *Cursor {
	i, _ := slices.BinarySearchFunc(r.list, from, func(x refused, w Where) int { return x.last().Compare(w) })
	return &Cursor{r.Reasons, r.list[i:]}
}

func (x refused) last() Where { return Where{x.Part, x.Record + x.records - 1} }

// Cursor looks up refusals in the order of the source.
type Cursor struct {
	reasons []Reason
	rest    []refused
}

// At returns why a record is refused, or nil. Records are asked for in order.
func (c *Cursor) At(w Where) *Reason {
	for len(c.rest) > 0 && c.rest[0].last().Compare(w) < 0 {
		c.rest = c.rest[1:]
	}
	if len(c.rest) == 0 || c.rest[0].Compare(w) > 0 {
		return nil
	}
	return &c.reasons[c.rest[0].reason]
}

// WriteTo writes them as JSON, which ReadRefusals reads.
func (r *Refusals) WriteTo(w io.Writer) (int64, error) {
	reasons, err := json.Marshal(r.Reasons)
	if err != nil {
		return 0, err
	}
	n, err := fmt.Fprintf(w, "{\"reasons\": %s,\n\"records\": [", reasons)
	total := int64(n)
	for i, x := range r.list {
		comma := ",\n"
		if i == 0 {
			comma = "\n"
		}
		if err == nil {
			n, err = fmt.Fprintf(w, "%s[%d,%d,%d,%d]", comma, x.Part, x.Record, x.records, x.reason)
			total += int64(n)
		}
	}
	if err == nil {
		n, err = io.WriteString(w, "]}\n")
	}
	return total + int64(n), err
}

// ReadRefusals reads what WriteTo has written.
func ReadRefusals(from io.Reader) (*Refusals, error) {
	var text struct {
		Reasons []Reason
		Records [][4]int64
	}
	if err := json.NewDecoder(from).Decode(&text); err != nil {
		return nil, err
	}
	r := &Refusals{Reasons: text.Reasons}
	for _, x := range text.Records {
		if x[3] < 0 || int(x[3]) >= len(r.Reasons) || x[2] < 1 {
			return nil, fmt.Errorf("record %d has reason %d of %d", x[1], x[3], len(r.Reasons))
		}
		r.list = append(r.list, refused{Where{int(x[0]), x[1]}, x[2], int(x[3])})
	}
	return r, nil
}

// Refuse makes the converter reject records that a server has refused.
func (c *Converter) Refuse(list *Refusals) {
	if list == nil {
		return
	}
	list.sort()
	c.refused = list
}

// refuse rejects a record for what the server said of it.
func (c *Converter) refuse(k *Block, b *record.Batch, r int, why *Reason) {
	var cells []byte
	for i := range c.columns {
		if col := &c.columns[i]; slices.Contains(why.Columns, col.name) {
			if cells != nil {
				cells = append(cells, ", "...)
			}
			cells = append(cells, col.text(b, r)...)
		}
	}
	k.rejectCell(b, r, strings.Join(why.Columns, ", "), string(cells), why.Reason, false)
}

// Keys are the hashes of the keys of refused records: of so many of them that
// they stay within some megabytes. The others are told without the first.
type Keys map[uint64]bool

const maxKeys = 1 << 18

// Add takes in some.
func (k Keys) Add(hashes []uint64) {
	for _, h := range hashes[:min(len(hashes), max(0, maxKeys-len(k)))] {
		k[h] = true
	}
}

// keySeed makes hashes of keys comparable within the program.
var keySeed = maphash.MakeSeed()

// KeyWorker returns a function that finds the keys of refused records which are
// refused for their key, for one goroutine.
func (c *Converter) KeyWorker() record.Work[[]uint64] {
	values := make([]value.Value, len(c.columns))
	return func(b *record.Batch) (hashes []uint64, _ error) {
		at := c.refused.Cursor(Where{b.Part, b.Number(0)})
		for r := range b.Len() {
			why := at.At(Where{b.Part, b.Number(r)})
			if why == nil || !c.isKey(why.Columns) {
				continue
			}
			if hash, ok := c.hashKey(b, r, values); ok {
				hashes = append(hashes, hash)
			}
		}
		return hashes, nil
	}
}

// NameFirsts makes the converter tell, with each record that is refused for its
// key, which record has it.
func (c *Converter) NameFirsts(keys Keys) { c.wanted, c.firsts = keys, map[uint64]string{} }

func (c *Converter) isKey(columns []string) bool {
	return len(columns) > 0 && slices.Equal(columns, c.key)
}

// hashKey returns the hash of a record's key; ok is false where it has none.
func (c *Converter) hashKey(b *record.Batch, r int, values []value.Value) (hash uint64, ok bool) {
	var text []byte
	for i := range c.columns {
		col, v := &c.columns[i], &values[i]
		if !slices.Contains(c.key, col.name) {
			continue
		}
		if cell := col.text(b, r); value.Blank(cell) || col.parse(cell, v) != "" {
			return 0, false
		}
		switch {
		case col.stored.Textual():
			if col.asText != nil {
				v.Text = col.asText(v)
			}
			text = append(text, v.Text...)
		case v.Wide:
			text = v.AppendDecimal(text)
		default:
			text = strconv.AppendInt(text, v.Int, 10)
		}
		text = append(text, 0)
	}
	return maphash.Bytes(keySeed, text), true
}

// keyed is a record whose key a refused record has.
type keyed struct {
	hash   uint64
	line   int64
	reject int // index of its reject, or -1 where it is loaded
}

// noteKeys remembers a record whose key is wanted, if it is in the table or
// refused.
func (c *Converter) noteKeys(k *Block, b *record.Batch, r int, refused bool, values []value.Value) {
	reject := -1
	if refused {
		reject = len(k.Rejects) - 1
	} else if n := len(k.Numbers); n == 0 || k.Numbers[n-1] != b.Number(r) {
		return
	}
	if hash, ok := c.hashKey(b, r, values); ok && c.wanted[hash] {
		k.keyed = append(k.keyed, keyed{hash, b.Line(r), reject})
	}
}

// Finish says in the rejects of a block where the keys are that they repeat.
// Blocks come in source order.
func (c *Converter) Finish(k *Block) {
	for _, x := range k.keyed {
		first := c.firsts[x.hash]
		switch {
		case x.reject < 0 && first == "":
			c.firsts[x.hash] = fmt.Sprintf("first on line %d", x.line)
		case x.reject >= 0 && first != "":
			k.Rejects[x.reject].More = append(k.Rejects[x.reject].More, first)
		}
	}
}
