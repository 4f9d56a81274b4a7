// Package refusal lists the rows that a server refused, by the records that they
// were in the source.
package refusal

import (
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"iter"
	"slices"
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

// List holds many refusals, for few reasons, in little memory. The zero value is an
// empty list.
type List struct {
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
func (r *List) Len() (n int) {
	for _, x := range r.list {
		n += int(x.records)
	}
	return n
}

// Add adds one.
func (r *List) Add(x Refusal) {
	why := slices.IndexFunc(r.Reasons, func(w Reason) bool { return w.Reason == x.Reason && slices.Equal(w.Columns, x.Columns) })
	if why < 0 {
		why = len(r.Reasons)
		r.Reasons = append(r.Reasons, Reason{x.Columns, x.Reason})
	}
	n := len(r.list)
	if n > 0 {
		last := &r.list[n-1]
		if last.reason == why && last.Part == x.Part && last.Record+last.records == x.Record {
			last.records++
			return
		}
	}
	r.list = append(r.list, refused{x.Where, 1, why})
}

// All returns each of them.
func (r *List) All() iter.Seq[Refusal] {
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

// Append adds those of another list.
func (r *List) Append(o *List) {
	for x := range o.All() {
		r.Add(x)
	}
}

// Renumbered returns those of some parts, by the indexes that these have somewhere else.
func (r *List) Renumbered(parts map[int]int) *List {
	to := &List{Reasons: r.Reasons}
	for _, x := range r.list {
		part, ok := parts[x.Part]
		if ok {
			x.Part = part
			to.list = append(to.list, x)
		}
	}
	to.Sort()
	return to
}

// DropAfter removes those of records after one.
func (r *List) DropAfter(w Where) {
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

// Sort puts them into the order of the source, which a cursor needs.
func (r *List) Sort() {
	slices.SortFunc(r.list, func(a, b refused) int { return a.Compare(b.Where) })
}

// Cursor returns a cursor that looks up records, from one on, in their order.
func (r *List) Cursor(from Where) *Cursor {
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

// WriteTo writes them as JSON, which Read reads.
func (r *List) WriteTo(w io.Writer) (int64, error) {
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

// Read reads what WriteTo has written.
func Read(from io.Reader) (*List, error) {
	var text struct {
		Reasons []Reason
		Records [][4]int64
	}
	err := json.NewDecoder(from).Decode(&text)
	if err != nil {
		return nil, err
	}
	r := &List{Reasons: text.Reasons}
	for _, x := range text.Records {
		if x[3] < 0 || int(x[3]) >= len(r.Reasons) || x[2] < 1 {
			return nil, fmt.Errorf("record %d has reason %d of %d", x[1], x[3], len(r.Reasons))
		}
		r.list = append(r.list, refused{Where{int(x[0]), x[1]}, x[2], int(x[3])})
	}
	return r, nil
}
