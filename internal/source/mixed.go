package source

import (
	"bytes"
	"fmt"
	"strings"
	"unicode/utf8"

	"ambertray/internal/codepage"
)

// Reading is how a line reads in an encoding.
type Reading struct {
	Encoding string `json:"encoding"`
	Line     int64  `json:"line"`
	Text     string `json:"text"`
}

const (
	maxReadings = 3
	maxReading  = 60 // characters of a line that are shown
)

// readings returns how the first line that is not all ASCII reads in the most
// likely encodings, those left out in which it reads the same.
func readings(list []Encoding, head []byte) (all []Reading) {
	n, line := int64(0), []byte(nil)
	for l := range bytes.Lines(head) {
		n++
		line = bytes.TrimRight(l, "\r\n")
		if !codepage.ASCII(line) {
			break
		}
	}
	seen := map[string]bool{}
	for _, e := range list {
		if len(all) == maxReadings || e.decoder == nil {
			continue
		}
		text, err := e.decoder.NewDecoder().Bytes(line)
		if err != nil || seen[string(text)] {
			continue
		}
		seen[string(text)] = true
		all = append(all, Reading{e.Name, n, around(string(text))})
	}
	return all
}

// around returns the part of a text around its first character beyond ASCII.
func around(text string) string {
	runes := []rune(text)
	first := 0
	for first < len(runes) && runes[first] < utf8.RuneSelf {
		first++
	}
	from := max(0, min(first-maxReading/3, len(runes)-maxReading))
	part := string(runes[from:min(len(runes), from+maxReading)])
	if from > 0 {
		part = "…" + part
	}
	return part
}

// MixedError says that some lines of a source are UTF-8 and others are not.
type MixedError struct {
	UTF8, Other           int64 // how many lines
	UTF8Lines, OtherLines []int64
	OtherEncoding         string // what these are most likely in
}

func (e *MixedError) Error() string {
	return fmt.Sprintf("lines in two encodings: %d of the first lines are UTF-8 (%s), %d are not (%s), most likely %s",
		e.UTF8, lineList(e.UTF8Lines), e.Other, lineList(e.OtherLines), e.OtherEncoding)
}

func lineList(lines []int64) string {
	var words []string
	for _, n := range lines {
		words = append(words, fmt.Sprint(n))
	}
	if len(words) == 1 {
		return "line " + words[0]
	}
	return "lines " + strings.Join(words, ", ")
}

const (
	minMixed      = 2   // lines of each sort, to take both for meant
	minMixedShare = 0.1 // of the lines that are not all ASCII
	maxMixedLines = 5   // that are named
)

// mixedLines returns an error where some lines beyond ASCII are UTF-8 and others
// are not. Few of the others are damage. Few that are UTF-8 count only among
// Latin letters, because short words of other scripts may be UTF-8 by chance.
func mixedLines(head []byte) error {
	e := MixedError{}
	var other []byte
	n := int64(0)
	for line := range bytes.Lines(head) {
		n++
		switch {
		case codepage.ASCII(line) || !bytes.HasSuffix(line, []byte("\n")):
		case utf8.Valid(line):
			e.UTF8++
			if len(e.UTF8Lines) < maxMixedLines {
				e.UTF8Lines = append(e.UTF8Lines, n)
			}
		default:
			e.Other++
			if len(e.OtherLines) < maxMixedLines {
				e.OtherLines = append(e.OtherLines, n)
			}
			other = append(other, line...)
		}
	}
	least := max(minMixed, minMixedShare*float64(e.UTF8+e.Other))
	if e.UTF8 < minMixed || float64(e.Other) < least {
		return nil
	}
	for _, guess := range guesses(other) {
		if guess.Name != utf8Name {
			e.OtherEncoding = guess.Name
			break
		}
	}
	page, _ := codePageByName(e.OtherEncoding)
	if float64(e.UTF8) < least && !page.latin() {
		return nil
	}
	return &e
}

// latin reports whether the languages of a code page are written in Latin letters:
// then hardly a word reads as UTF-8 by chance.
func (p *codePage) latin() bool { return len(p.languages) > 0 && p.languages[0].script == nil }
