package value

import (
	"encoding/binary"
	"math"
	"math/bits"
)

// Forms are the forms of the numbers in a column. Numbers of one form have the same length, and the
// same signs at the same places among their digits. If the text of a number sorts between the texts
// of two others of its form and these have the same shape, the number has that shape too and lies
// between them. Once the least and the greatest number of a form are known, most others need no scan.
type Forms struct {
	places [256]uint8 // by placeOf: the index of the form in all, plus one; 0 without a form
	all    []form
}

type form struct {
	shape       Shape
	size        int
	head, tail  signs
	least, most Sortable
}

// MaxForm is the length in bytes of the longest number that has a form.
const MaxForm = 16

// Sortable is a text of up to 16 bytes as two numbers: its first eight bytes and, if it is longer,
// its last eight. Texts of the same length sort by these numbers.
type Sortable [2]uint64

// SortableOf returns the text of a cell. head is its first eight bytes, filled up with zero bytes.
// The middle of a cell of more than 16 bytes is left out.
func SortableOf(cell []byte, head uint64) Sortable {
	if len(cell) <= 8 {
		return Sortable{head}
	}
	return Sortable{head, binary.BigEndian.Uint64(cell[len(cell)-8:])}
}

// after reports whether a text sorts after another of the same length.
func (s *Sortable) after(o *Sortable) bool { return s[0] > o[0] || s[0] == o[0] && s[1] > o[1] }

// signs are those of eight bytes that are not digits, and their places.
type signs struct{ where, are uint64 }

func signsOf(w uint64) signs {
	where := notDigits(w) >> 7 * 0xff
	return signs{where, w & where}
}

// in reports whether w has these signs and digits in all other places.
func (s *signs) in(w uint64) bool { return w&s.where == s.are && notDigits(w) == s.where&highBits }

// Find returns the shape of a text of n bytes if it is a number between two that were added.
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

// placeOf returns a number that usually differs between the forms of a column. It also depends on
// whether the text begins with 0, because the shape often does.
func placeOf(n int, text *Sortable) uint8 {
	digits := bits.LeadingZeros64(notDigits(text[0])) / 8
	zero := 0
	if text[0]>>56 == '0' {
		zero = 1
	}
	return uint8(2*(9*n+digits) + zero)
}

// Add adds a cell and its shape, if it is a number that has a form. It replaces another form in the
// same place.
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

// join widens a form by the numbers of another, or is replaced by it if they differ.
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
