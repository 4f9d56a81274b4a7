package convert

import (
	"fmt"
	"hash/maphash"
	"slices"
	"strconv"
	"strings"

	"ambertray/internal/record"
	"ambertray/internal/refusal"
	"ambertray/internal/value"
)

// Refuse makes the converter reject records that a server has refused.
func (c *Converter) Refuse(list *refusal.List) {
	if list == nil {
		return
	}
	list.Sort()
	c.refused = list
}

// refuse rejects a record for what the server said of it.
func (c *Converter) refuse(k *Block, b *record.Batch, r int, why *refusal.Reason, values []value.Value) {
	var cells []byte
	for i := range c.columns {
		cell := c.columns[i].text(b, r)
		values[i].Null = value.Blank(cell) || c.columns[i].parse(cell, &values[i]) != ""
	}
	c.addRest(k, values)
	for i := range c.columns {
		col := &c.columns[i]
		if slices.Contains(why.Columns, col.name) {
			if cells != nil {
				cells = append(cells, ", "...)
			}
			cells = append(cells, col.text(b, r)...)
		}
	}
	k.rejectCell(b, r, strings.Join(why.Columns, ", "), string(cells), why.Reason, false)
}

// Keys are the hashes of the keys of refused records: only as many
// as fit some megabytes. The others are reported without the first.
type Keys map[uint64]bool

const maxKeys = 1 << 18

// Add adds some.
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
		at := c.refused.Cursor(refusal.Where{Part: b.Part, Record: b.Number(0)})
		for r := range b.Len() {
			why := at.At(refusal.Where{Part: b.Part, Record: b.Number(r)})
			if why == nil || !c.isKey(why.Columns) {
				continue
			}
			hash, ok := c.hashKey(b, r, values)
			if ok {
				hashes = append(hashes, hash)
			}
		}
		return hashes, nil
	}
}

// NameFirsts makes the converter report, with each record that is refused for its
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
		cell := col.text(b, r)
		if value.Blank(cell) || col.parse(cell, v) != "" {
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
	n := len(k.Numbers)
	if refused {
		reject = len(k.Rejects) - 1
	} else if n == 0 || k.Numbers[n-1] != b.Number(r) {
		return
	}
	hash, ok := c.hashKey(b, r, values)
	if ok && c.wanted[hash] {
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
