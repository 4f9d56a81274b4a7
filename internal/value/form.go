package value

import (
	"encoding/binary"
	"math"
	"math/bits"
)

// Forms are the forms of numbers in a column: how long they are, and what stands where among
// their digits. A number whose text sorts between those of two others of its form lies between
// them, and has the shape that both have. So of most numbers nothing more has to be read once the
// least and the greatest of their form are known.
type Forms struct {
	places [256]uint8 // one more than where in all the form is that belongs there
	all    []form
}

type form struct {
	shape       Shape
	size        int
	head, tail  signs
	least, most Sortable
}

// MaxForm is the length in bytes up to which numbers have a form.
const MaxForm = 16

// Sortable is a text of up to 16 bytes as two numbers, by which texts of one length sort: its
// first eight bytes and, if it is longer, its last.
type Sortable [2]uint64

// SortableOf returns the text of a cell whose first bytes are in head, with zero bytes after
// a shorter one. Of a cell of more than 16 bytes it has only some.
func SortableOf(cell []byte, head uint64) Sortable {
	if len(cell) <= 8 {
		return Sortable{head}
	}
	return Sortable{head, binary.BigEndian.Uint64(cell[len(cell)-8:])}
}

// after reports whether a text sorts after another of the same length.
func (s *Sortable) after(o *Sortable) bool { return s[0] > o[0] || s[0] == o[0] && s[1] > o[1] }

// signs are the bytes of eight that are not digits, and where they are.
type signs struct{ where, are uint64 }

func signsOf(w uint64) signs {
	where := notDigits(w) >> 7 * 0xff
	return signs{where, w & where}
}

// in reports whether w has these signs, and else digits.
func (s *signs) in(w uint64) bool { return w&s.where == s.are && notDigits(w) == s.where&highBits }

// Find returns the shape of a cell of n bytes if it is a number between two that were added.
func (fs *Forms) Find(n int, text *Sortable) (shape Shape, found bool) {
	at := fs.places[placeOf(n, text)]
	if at == 0 {
		return Shape{}, false
	}
	f := &fs.all[at-1]
	return f.shape, f.has(n, text) && !f.least.after(text) && !text.after(&f.most)
}

func (f *form) has(n int, text *Sortable) bool {
	return n == f.size && f.head.in(text[0]) && f.tail.in(text[1])
}

// placeOf returns a number that most likely differs between the forms of a column, and between
// the shapes that those have with and without a zero at the start.
func placeOf(n int, text *Sortable) uint8 {
	digits := bits.LeadingZeros64(notDigits(text[0])) / 8
	zero := 0
	if text[0]>>56 == '0' {
		zero = 1
	}
	return uint8(2*(9*n+digits) + zero)
}

// Add adds a value of a shape, if it is a number that has a form. Where another form was in its
// place, that is forgotten.
func (fs *Forms) Add(cell []byte, text *Sortable, shape Shape) {
	n := len(cell)
	mayBeDate := shape.Kind == Integer && (n == len("yyyyMMdd") || n == len("yyyyMMddHHmmss"))
	number := shape.Kind == Integer || shape.Kind == Decimal || shape.Kind == Code
	if !number || mayBeDate || n > MaxForm {
		return
	}
	f := form{shape, n, signsOf(text[0]), signsOf(text[1]), *text, *text}
	at := &fs.places[placeOf(n, text)]
	switch {
	case *at == 0 && len(fs.all) < math.MaxUint8:
		fs.all = append(fs.all, f)
		*at = uint8(len(fs.all))
	case *at > 0:
		fs.all[*at-1].join(f)
	}
}

// join widens a form by another, or becomes it where they differ.
func (f *form) join(o form) {
	if o.shape != f.shape || !f.has(o.size, &o.least) {
		*f = o
		return
	}
	if f.least.after(&o.least) {
		f.least = o.least
	}
	if o.most.after(&f.most) {
		f.most = o.most
	}
}
