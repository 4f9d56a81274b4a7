// Package parse reads cells that are not blank into values of a column's type, by the
// notation that the column has.
package parse

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strconv"
	"unicode/utf8"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Parser reads a cell that is not blank into a value of its column's type. It
// returns the reason why it cannot, or "". After it, a decimal has the scale
// of its type. The value may refer to the cell's bytes.
type Parser func(cell []byte, v *value.Value) (reason string)

// New returns the parser of a column, within the limit of an existing one.
func New(c table.Column) (Parser, error) {
	parse, err := typeParser(c)
	limit := c.Limit
	if limit == nil && c.Type.Fraction() < table.Micros {
		limit = table.WholeRange(c.Type.String())
	}
	if err != nil || limit == nil {
		return parse, err
	}
	return limited(parse, c, limit), nil
}

// Default returns the value of a column's default, which must be one.
func Default(col table.Column) (v value.Value, err error) {
	parse, err := New(col)
	if err != nil {
		return v, err
	}
	if !col.Type.Textual() && len(value.Trim([]byte(*col.Default))) == 0 { // parsers know no blank cells
		return v, fmt.Errorf("column %s: default %q: not a value of %s; leave it out for NULL", col.Name, *col.Default, col.Type)
	}
	reason := parse([]byte(*col.Default), &v)
	if reason != "" {
		return v, fmt.Errorf("column %s: default %q: %s", col.Name, *col.Default, reason)
	}
	return v, nil
}

// limited takes only values within a limit, and without more digits of a second than
// the type has, unless the column rounds them: a server would round them up or down.
func limited(parse Parser, c table.Column, l *table.Limit) Parser {
	unit := int64(1)
	for range table.Micros - c.Type.Fraction() {
		unit *= 10
	}
	unit = max(unit, l.Step)
	outside, round := "outside the range of "+l.Native, c.Round && c.Type.HasClock()
	return func(cell []byte, v *value.Value) string {
		reason := parse(cell, v)
		if reason != "" {
			return reason
		}
		finer := (v.Int%unit + unit) % unit
		if round && finer > 0 {
			v.Int -= finer
			v.Altered = value.Rounded
		}
		switch {
		case l.Text != nil:
			v.Text, reason = l.Text(v.Text)
			return reason
		case l.OneOf != nil && !slices.Contains(l.OneOf, string(v.Text)):
			return "not a value of the " + l.Native
		case l.OneOf != nil:
			return ""
		case v.Int%unit != 0:
			return fmt.Sprintf(moreDigits, l.Native)
		case v.Int < l.Least || v.Int > l.Greatest:
			return outside
		case l.Number != nil:
			return l.Number(v.Int)
		}
		return ""
	}
}

// typeParser returns the parser of a column's type.
func typeParser(c table.Column) (Parser, error) {
	if c.Type.Summable() && len(c.TrueWords) > 0 {
		return truthParser(c)
	}
	switch c.Type.Kind {
	case table.SmallInt:
		return wholeParser(c, math.MinInt16, math.MaxInt16), nil
	case table.Integer:
		return wholeParser(c, math.MinInt32, math.MaxInt32), nil
	case table.BigInt:
		return wholeParser(c, math.MinInt64, math.MaxInt64), nil
	case table.Decimal:
		return decimalParser(c), nil
	case table.Double:
		return doubleParser(c), nil
	case table.Boolean:
		return booleanParser(c)
	case table.Date:
		return dateParser(c, value.Date, "yyyy-MM-dd")
	case table.Timestamp:
		return dateParser(c, value.Timestamp, "yyyy-MM-dd HH:mm:ss")
	case table.TimestampTZ:
		if c.Zone != "" {
			return localParser(c)
		}
		return dateParser(c, value.Instant, "yyyy-MM-dd HH:mm:ssXXX")
	case table.Time:
		return timeParser(c), nil
	case table.UUID:
		return parseUUID, nil
	}
	return textParser(c), nil
}

// moreDigits is why a time is rejected that the type would round.
const moreDigits = "has more digits of a second than %s keeps"

const notANumber = "not a number"

// numberScanner scans a number in the notation of the column. A code is read
// without its leading zeros: whoever declares such a column a number wants so.
func numberScanner(c table.Column) func(cell []byte, v *value.Value) (value.Shape, bool) {
	style := value.Style{DecimalComma: c.Decimal == ",", Percent: c.Percent, Padded: true}
	if c.Thousands != "" {
		style.Thousands = c.Thousands[0]
	}
	style.Currency, _ = value.ParseCurrency(c.Currency)
	return func(cell []byte, v *value.Value) (value.Shape, bool) {
		s := value.Scan(cell, v)
		ok := style.Takes(s)
		if ok {
			style.Disambiguate(s, v)
		}
		switch {
		case s.Kind != value.Code || v.Scale > 0:
		case s.Notation&value.Signed != 0:
			v.Altered = value.PaddedSigned
		default:
			v.Altered = value.PaddedCode
		}
		return s, ok
	}
}

// rescale gives the number a scale, and is false when that would change it.
func rescale(v *value.Value, scale int) bool {
	if v.Wide {
		if string(v.Text) == "0" { // at any scale
			v.Scale = scale
		}
		for ; v.Scale > scale && len(v.Text) > 0 && v.Text[len(v.Text)-1] == '0'; v.Scale-- {
			v.Text = v.Text[:len(v.Text)-1]
		}
		if v.Scale < scale {
			v.Text = append(bytes.Clone(v.Text), bytes.Repeat([]byte{'0'}, scale-v.Scale)...)
			v.Scale = scale
		}
		v.SetDigits(v.Text)
		return v.Scale == scale
	}
	for ; v.Scale > scale && v.Int%10 == 0; v.Scale-- {
		v.Int /= 10
	}
	if v.Scale > scale {
		return false
	}
	if v.Whole+scale > value.MaxDigits {
		v.Widen()
		return rescale(v, scale)
	}
	for ; v.Scale < scale; v.Scale++ {
		v.Int *= 10
	}
	return true
}

func wholeParser(c table.Column, lo, hi int64) Parser {
	scan := numberScanner(c)
	misfit := "does not fit " + c.Type.String()
	return func(cell []byte, v *value.Value) string {
		_, ok := scan(cell, v)
		switch {
		case ok && !v.Exact():
			return misfit
		case !ok || v.Scale > 0 && !rescale(v, 0):
			return "not a whole number"
		}
		if v.Wide && !v.Narrow() || v.Int < lo || v.Int > hi {
			return misfit
		}
		return ""
	}
}

func decimalParser(c table.Column) Parser {
	scan := numberScanner(c)
	misfit := "does not fit " + c.Type.String()
	return func(cell []byte, v *value.Value) string {
		_, ok := scan(cell, v)
		if !ok {
			return notANumber
		}
		if v.Whole > c.Type.Size-c.Type.Scale || !v.Exact() || !rescale(v, c.Type.Scale) {
			return misfit
		}
		return ""
	}
}

func doubleParser(c table.Column) Parser {
	scan := numberScanner(c)
	return func(cell []byte, v *value.Value) string {
		s, ok := scan(cell, v)
		if !ok {
			return notANumber
		}
		v.Float, ok = v.AsFloat(s)
		if !ok {
			return "does not fit double"
		}
		if v.Float == 0 { // -0 equals 0, and not every target distinguishes them
			v.Float = 0
		}
		single := c.Type.Size == table.Single
		kept := !c.Exact && !c.Round || single && givenBackSingle(v.Float) || !single && givenBack(v, s)
		switch {
		case kept:
		case c.Exact:
			return c.Type.Kind.String() + " would not give it back unchanged"
		default:
			v.Altered = value.Rounded
		}
		if single {
			v.Float = float64(float32(v.Float))
		}
		return ""
	}
}

// givenBack reports whether a double keeps a number as written: a whole
// number exactly, any other with up to 15 significant digits, or as many as
// doubles are printed with.
func givenBack(v *value.Value, s value.Shape) bool {
	if s.Kind == value.Exponent {
		return true // it is in floating point already
	}
	digits, scale := v.Text, v.Scale
	if !v.Wide {
		digits = bytes.TrimPrefix(strconv.AppendInt(nil, v.Int, 10), []byte("-"))
	}
	significant := bytes.TrimLeft(digits, "0")
	for scale > 0 && len(significant) > 0 && significant[len(significant)-1] == '0' {
		significant, scale = significant[:len(significant)-1], scale-1
	}
	n := len(bytes.TrimRight(significant, "0"))
	switch {
	case n <= 15:
		return true
	case scale == 0:
		return string(strconv.AppendFloat(nil, math.Abs(v.Float), 'f', -1, 64)) == string(significant)
	case n == 16:
		printed := strconv.AppendFloat(nil, math.Abs(v.Float), 'e', 15, 64)
		return bytes.Equal(append(printed[:1], printed[2:17]...), significant)
	default:
		return n == 17
	}
}

// givenBackSingle reports whether a double of four bytes gives a number back as it
// was written, in the fewest digits that distinguish it from others.
func givenBackSingle(f float64) bool {
	shown, err := strconv.ParseFloat(strconv.FormatFloat(f, 'g', -1, 32), 64)
	return err == nil && shown == f
}

// booleanParser reads the words that the column names, or else those that are
// well known, and 1 and 0.
func booleanParser(c table.Column) (Parser, error) {
	if (len(c.TrueWords) == 0) != (len(c.FalseWords) == 0) {
		return nil, fmt.Errorf("column %s: write both true_words and false_words", c.Name)
	}
	for _, word := range c.TrueWords {
		if value.IndexWord(c.FalseWords, []byte(word)) >= 0 {
			return nil, fmt.Errorf("column %s: %q is among both true_words and false_words", c.Name, word)
		}
	}
	neither := "neither true nor false"
	if len(c.TrueWords) > 0 {
		if len(c.TrueWords)+len(c.FalseWords) == 2 {
			neither = "neither " + c.TrueWords[0] + " nor " + c.FalseWords[0]
		}
		return func(cell []byte, v *value.Value) string {
			switch {
			case value.IndexWord(c.TrueWords, cell) >= 0:
				v.Int = 1
			case value.IndexWord(c.FalseWords, cell) >= 0:
				v.Int = 0
			default:
				return neither
			}
			return ""
		}, nil
	}
	return func(cell []byte, v *value.Value) string {
		s := value.Scan(cell, v)
		if s.Kind == value.Boolean || s.Kind == value.Integer && (v.Int == 0 || v.Int == 1) {
			return ""
		}
		return neither
	}, nil
}

// truthParser reads booleans as 1 and 0, for an existing column of whole numbers.
func truthParser(c table.Column) (Parser, error) {
	parse, err := booleanParser(c)
	return func(cell []byte, v *value.Value) string {
		v.Wide, v.Scale = false, 0
		return parse(cell, v)
	}, err
}

func dateParser(c table.Column, kind value.Kind, usual string) (Parser, error) {
	pattern := c.Format
	if pattern == "" {
		pattern = usual
	}
	format, err := value.ParseFormat(pattern, kind)
	if err != nil {
		return nil, fmt.Errorf("column %s: format %w", c.Name, err)
	}
	not, fine := fmt.Sprintf("not a %s written %s", c.Type, pattern), tooFine(c)
	offset := fmt.Sprintf("has an offset from UTC, which a %s cannot hold", c.Type)
	if c.Zone != "" {
		offset = "has an offset from UTC, but zone: makes it a local time"
	}
	return func(cell []byte, v *value.Value) string {
		s := v.Redate(value.ScanLike(kind, cell, v), cell)
		switch {
		case !format.Takes(s):
			if s.Kind == value.Impossible && format.SameDate(s) {
				return "no such date"
			}
			if kind == value.Instant && s.Kind == value.Timestamp {
				return "has no offset from UTC"
			}
			if kind != value.Instant && s.Kind == value.Instant {
				return offset
			}
			return not
		case kind == value.Date && s.Kind == value.Timestamp && !v.AtMidnight():
			return "has a time of day, which a date cannot hold"
		case !v.Resolve(value.Shape{Kind: kind, Notation: s.Notation}, format.Order):
			return "no such date"
		case kind == value.Instant && !storable(v):
			return outsideYears
		case s.TooFine():
			return fine(v)
		}
		return ""
	}, nil
}

// localParser reads timestamps without an offset as local times of the column's zone.
func localParser(c table.Column) (Parser, error) {
	zone, err := value.ParseZone(c.Zone)
	if err != nil {
		return nil, fmt.Errorf("column %s: %w", c.Name, err)
	}
	parse, err := dateParser(c, value.Timestamp, "yyyy-MM-dd HH:mm:ss")
	return func(cell []byte, v *value.Value) string {
		reason := parse(cell, v)
		if reason != "" {
			return reason
		}
		v.Int, reason = zone.UTC(v.Int)
		if reason == "" && !storable(v) {
			reason = outsideYears
		}
		return reason
	}, err
}

const outsideYears = "outside the years 1 to 9999 in UTC"

// storable reports whether every target can hold a moment.
func storable(v *value.Value) bool { return v.Int >= firstInstant && v.Int <= lastInstant }

// The first and last moments that every target can hold, in microseconds since
// 1970: the years 1 to 9999.
const (
	firstInstant = -62135596800_000_000
	lastInstant  = 253402300799_999_999
)

func timeParser(c table.Column) Parser {
	fine := tooFine(c)
	return func(cell []byte, v *value.Value) string {
		s := value.Scan(cell, v)
		switch {
		case s.Kind != value.Time:
			return "not a time of day"
		case s.TooFine():
			return fine(v)
		}
		return ""
	}
}

// tooFine returns what becomes of a time with more digits of a second than any type keeps: it is
// rejected for the reason that the function returns, or it is rounded.
func tooFine(c table.Column) func(v *value.Value) (reason string) {
	if c.Round {
		return func(v *value.Value) string {
			v.Altered = value.Rounded
			return ""
		}
	}
	why := fmt.Sprintf(moreDigits, c.Type)
	return func(*value.Value) string { return why }
}

func parseUUID(cell []byte, v *value.Value) string {
	if value.Scan(cell, v).Kind != value.UUID {
		return "not a UUID"
	}
	v.Text = bytes.ToLower(v.Text)
	return ""
}

// textParser keeps text as it stands; only char, which SQL pads with spaces,
// loses those at its end. That it is valid UTF-8 without NULs was seen to when
// its record was cut.
func textParser(c table.Column) Parser {
	limit := c.Type.Size
	if c.Type.Kind == table.Text {
		limit = math.MaxInt
	}
	misfit := "longer than " + c.Type.String()
	short := fmt.Sprintf("fewer than %d digits: leading zeros are missing", c.Digits)
	return func(cell []byte, v *value.Value) string {
		if c.Type.Kind == table.Char {
			cell = bytes.TrimRight(cell, " ")
		}
		v.Text = cell
		if len(cell) > limit && utf8.RuneCount(cell) > limit {
			return misfit
		}
		if len(cell) < c.Digits && value.OnlyDigits(cell) {
			return short
		}
		return ""
	}
}
