package survey

import (
	"slices"
	"unicode/utf8"

	"ambertray/internal/record"
)

// Oddity is something that is not as it should be.
type Oddity struct {
	Source string  `json:"source"`
	Line   int64   `json:"line"`
	Column *string `json:"column"`
	What   string  `json:"what"`
}

const (
	// maxOddities is how many oddities are listed, and maxAlike how many of each kind.
	maxOddities = 20
	maxAlike    = 5
)

// maxMisread is how much text is kept to guess the encoding by.
const maxMisread = 4 << 10

// beyondASCII returns text of the batch that is not all ASCII, to guess its
// encoding by.
func beyondASCII(b *record.Batch) (text []byte) {
	for r := 0; r < b.Len() && len(text) < maxMisread; r++ {
		row := b.Text(r)
		if slices.ContainsFunc(row, func(c byte) bool { return c >= utf8.RuneSelf }) {
			text = append(append(text, row...), '\n')
		}
	}
	return text
}

// noteOddities lists the broken and the ragged records, up to a limit.
func (w *surveying) noteOddities(b *record.Batch, s *seen) {
	odd := b.Oddities
	s.occurrences.AddAll(b)
	for r := range b.Len() {
		broken := false
		for ; len(odd) > 0 && odd[0].Record == r; odd = odd[1:] {
			broken = broken || odd[0].What.Broken()
			if odd[0].What == record.BadEncoding && s.misread == nil {
				s.misread = beyondASCII(b)
			}
			if odd[0].What != record.Short && lists(s.oddities, odd[0].What.String()) {
				s.oddities = append(s.oddities, Oddity{Line: b.OddityLine(odd[0]), Column: w.heading(odd[0].Cell), What: odd[0].What.String()})
			}
		}
		n := b.Width(r)
		if broken {
			s.broken++
		} else if n != len(w.headings) {
			s.ragged++
			if s.widths == nil {
				s.widths = map[int]int64{}
			}
			s.widths[n]++
			what := record.Misfit(n, len(w.headings))
			if lists(s.oddities, what) {
				s.oddities = append(s.oddities, Oddity{Line: b.Line(r), What: what})
			}
		}
	}
}

// lists reports whether one more oddity is listed.
func lists(listed []Oddity, what string) bool {
	alike := 0
	for _, o := range listed {
		if o.What == what {
			alike++
		}
	}
	return alike < maxAlike && len(listed) < maxOddities
}

func (w *surveying) heading(c int) *string {
	if c < len(w.headings) {
		return &w.headings[c]
	}
	return nil
}

// oddityCount returns the number of oddities. Records that are filled are not counted.
func (w *surveying) oddityCount() int64 {
	n := w.survey.Ragged - w.survey.Filled
	for what, at := range w.occurrences {
		if record.What(what) != record.Short {
			n += at.N
		}
	}
	return n
}
