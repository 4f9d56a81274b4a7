// Package table describes the table that a source becomes: its name, its
// columns and their types. It knows no server; see dialect for that.
package table

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Kind is an SQL type without its parameters.
type Kind uint8

// The types that a column can have.
const (
	SmallInt Kind = iota
	Integer
	BigInt
	Decimal
	Double
	Boolean
	Date
	Time
	Timestamp
	TimestampTZ
	Char
	Varchar
	Text
	UUID
)

var kindNames = [...]string{
	"smallint", "integer", "bigint", "decimal", "double", "boolean", "date",
	"time", "timestamp", "timestamp with time zone", "char", "varchar", "text", "uuid",
}

func (k Kind) String() string { return kindNames[k] }

// MaxPrecision is the largest number of digits of a decimal that every target
// can at least declare.
const MaxPrecision = 38

// Type is an SQL type: Size is the precision of a decimal or the length in
// characters of a char or varchar, Scale the digits after the decimal point.
type Type struct {
	Kind        Kind
	Size, Scale int
	// Characters are those that the texts of a column have, which some servers keep in
	// types of their own.
	Characters Characters
	// coarser is how many digits of a second less than Micros a time has.
	coarser int8
}

// Micros is the number of digits of a second that a value has at most.
const Micros = 6

// Fraction is the number of digits of a second that a time or timestamp has.
func (t Type) Fraction() int { return Micros - int(t.coarser) }

// WithFraction returns the type with a number of digits of a second, at most Micros.
func (t Type) WithFraction(digits int) Type {
	t.coarser = int8(Micros - min(digits, Micros))
	return t
}

// HasClock reports whether values of the type have a time of day.
func (t Type) HasClock() bool { return t.Kind >= Time && t.Kind <= TimestampTZ }

// Characters is a repertoire of characters.
type Characters uint8

// ASCII is that of plain English, Latin1 that of the code page windows-1252, Unicode any.
const (
	ASCII Characters = iota
	Latin1
	Unicode
)

var characterWords = [...]string{"ascii", "latin1", "unicode"}

func (c Characters) String() string { return characterWords[c] }

// CharacterWords returns the words for the repertoires.
func CharacterWords() []string { return characterWords[:] }

// CharactersOf returns the smallest repertoire that has all characters of a text.
func CharactersOf(text []byte) Characters {
	c := ASCII
	for _, r := range string(text) {
		switch {
		case r < 0x80:
		case r >= 0xa0 && r <= 0xff, strings.ContainsRune(beyondLatin1, r):
			c = Latin1
		default:
			return Unicode
		}
	}
	return c
}

// beyondLatin1 are the characters that windows-1252 has where ISO 8859-1 has controls.
const beyondLatin1 = "€‚ƒ„…†‡ˆ‰Š‹ŒŽ‘’“”•–—˜™š›œžŸ"

const (
	// Single is the Size of a double that has only four bytes, of an existing column.
	Single = 4
	// Bit is the Size of a boolean that an existing column keeps as a bit.
	Bit = 1
	// The Sizes of texts that an existing column keeps as JSON values, as addresses or networks of
	// the internet, as bytes, as addresses of hardware with six or eight bytes, as intervals, as bits,
	// as times of day with an offset, or, from Array on, as arrays.
	JSON         = 1
	Address      = 2
	Network      = 3
	Bytes        = 4
	Hardware     = 5
	LongHardware = 6
	Interval     = 7
	Bits         = 8
	TimeTZ       = 9
	Array        = 10
)

// String returns the type as the tray writes it.
func (t Type) String() string {
	switch t.Kind {
	case Decimal:
		return fmt.Sprintf("decimal(%d,%d)", t.Size, t.Scale)
	case Char, Varchar:
		return fmt.Sprintf("%s(%d)", t.Kind, t.Size)
	}
	if t.coarser > 0 {
		return t.Clock()
	}
	return t.Kind.String()
}

// Clock returns a type with a time of day and its digits of a second: servers differ in
// how many they take where none are written.
func (t Type) Clock() string {
	name, zone, zoned := strings.Cut(t.Kind.String(), " ")
	name = fmt.Sprintf("%s(%d)", name, t.Fraction())
	if zoned {
		name += " " + zone
	}
	return name
}

// Textual reports whether values of the type are text.
func (t Type) Textual() bool { return t.Kind == Char || t.Kind == Varchar || t.Kind == Text }

// IsBytes reports whether values are bytes, written as a text of hexadecimal digits.
func (t Type) IsBytes() bool { return t.Kind == Text && t.Size == Bytes }

// Numeric reports whether values of the type are numbers.
func (t Type) Numeric() bool { return t.Whole() || t.Kind == Decimal || t.Kind == Double }

// Whole reports whether values of the type are whole numbers.
func (t Type) Whole() bool { return t.Kind <= BigInt }

var typeForm = regexp.MustCompile(`^([a-z]+(?: [a-z]+)*)(?:\(\s*(\d{1,9})\s*(?:,\s*(\d{1,9})\s*)?\))?( with time zone)?$`)

// ParseType reads a type as the tray writes it.
func ParseType(text string) (Type, error) {
	m := typeForm.FindStringSubmatch(strings.Join(strings.Fields(strings.ToLower(text)), " "))
	if m == nil {
		return Type{}, unknownType(text)
	}
	i := slices.Index(kindNames[:], m[1]+m[4])
	if i < 0 {
		return Type{}, unknownType(text)
	}
	t := Type{Kind: Kind(i)}
	t.Size, _ = strconv.Atoi(m[2])
	t.Scale, _ = strconv.Atoi(m[3])
	err := t.check(text, m[2] != "", m[3] != "")
	if t.HasClock() && m[2] != "" {
		t = Type{Kind: t.Kind}.WithFraction(t.Size)
	}
	return t, err
}

// KindNames returns the names of the types.
func KindNames() []string { return kindNames[:] }

func unknownType(text string) error {
	return fmt.Errorf("unknown type %q; the types are %s", text, strings.Join(kindNames[:], ", "))
}

func (t Type) check(text string, hasSize, hasScale bool) error {
	switch t.Kind {
	case Decimal:
		if !hasSize || t.Size < 1 || t.Size > MaxPrecision || t.Scale > t.Size {
			return fmt.Errorf("type %q: write decimal(p,s) with p from 1 to %d digits, s of them after the point", text, MaxPrecision)
		}
	case Char, Varchar:
		if !hasSize || hasScale || t.Size < 1 {
			return fmt.Errorf("type %q: write %s(n) with the number of characters", text, t.Kind)
		}
	case Time, Timestamp, TimestampTZ:
		if hasScale || t.Size > Micros {
			return fmt.Errorf("type %q: write %s with the digits of a second, from 0 to %d", text, Type{Kind: t.Kind, coarser: Micros - 3}, Micros)
		}
	default:
		if hasSize {
			return fmt.Errorf("type %q: %s takes no size", text, t.Kind)
		}
	}
	return nil
}
