package infer_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/infer"
	"ambertray/internal/record"
	"ambertray/internal/table"
	"ambertray/internal/template"
	"ambertray/internal/value"
)

// TestMeaning writes random columns in a random hand, and each value must be read as what was
// meant by it.
func TestMeaning(t *testing.T) {
	for k := range 700 {
		r := rand.New(rand.NewPCG(11, uint64(k)))
		hands := []func(*rand.Rand) hand{numbers, amounts, dates, timesOfDay, truths, codes}
		h := hands[r.IntN(len(hands))](r)
		blank := []string{"n/a", "", "NULL", "-"}[r.IntN(4)]
		var cells, meant []string
		for i := range 2 + r.IntN(30) {
			cell, means := h.write(i)
			if i > 1 && r.IntN(8) == 0 {
				cell, means = blank, "null"
				if h.text && blank != "" {
					means = blank
				}
			}
			cells, meant = append(cells, cell), append(meant, means)
		}
		c := profile(t, cells, 1).Choose(infer.Options{})
		require.Equal(t, meant, converted(t, cells, c), "%s read as %s: %q\n%s", h.name, c.Type, cells, c.Evidence)
	}
}

// hand is a way to write values of one sort. It returns a cell and what is meant by it, in the
// words of the encoder below; its first two cells leave nothing open.
type hand struct {
	name  string
	text  bool
	write func(i int) (cell, meant string)
}

func one[T any](r *rand.Rand, of ...T) T { return of[r.IntN(len(of))] }

// grouped writes digits in groups of three.
func grouped(digits, sign string) string {
	for i := len(digits) - 3; i > 0; i -= 3 {
		digits = digits[:i] + sign + digits[i:]
	}
	return digits
}

// figure returns how numbers are written without a sign.
func figure(r *rand.Rand) (name string, write func(i int) (cell, meant string)) {
	decimal := one(r, ".", ",")
	group := one(r, "", "", one(r, ",", "."), " ", "'", "\u00a0", "\u202f", "’")
	if group == decimal {
		group = ""
	}
	scale := r.IntN(3)
	if scale > 0 && r.IntN(4) == 0 {
		scale = 4
	}
	most := one(r, 100, 10_000, 100_000_000)
	return fmt.Sprintf("%q %q %d", decimal, group, scale), func(i int) (string, string) {
		whole := strconv.Itoa(r.IntN(most))
		if i == 0 {
			whole = "4321987"
		}
		fraction := ""
		for range scale {
			fraction += strconv.Itoa(r.IntN(10))
		}
		if scale == 0 {
			return grouped(whole, group), whole
		}
		fraction = fraction[:scale-1] + one(r, "1", "7")
		return grouped(whole, group) + decimal + fraction, whole + "." + fraction
	}
}

func negative(meant string) string {
	if strings.Trim(meant, "0.") == "" {
		return meant
	}
	return "-" + meant
}

func numbers(r *rand.Rand) hand {
	name, write := figure(r)
	minus := one(r, "-%s", "%s-", "(%s)", "−%s", "- %s")
	return hand{name: name + minus, write: func(i int) (string, string) {
		cell, meant := write(i)
		if i > 0 && r.IntN(4) == 0 {
			return fmt.Sprintf(minus, cell), negative(meant)
		}
		return cell, meant
	}}
}

func amounts(r *rand.Rand) hand {
	name, write := figure(r)
	form := one(r, "$%s", "%s €", "€ %s", "£%s", "USD %s", "%s EUR", "CHF %s", "%s%%", "%s %%", "¥%s", "%s zł", "kr %s", "%s kr")
	minus := one(r, "-%s", "(%s)")
	percent := strings.Contains(form, "%%")
	return hand{name: name + form, write: func(i int) (string, string) {
		cell, meant := write(i)
		cell = fmt.Sprintf(form, cell)
		if percent {
			meant = hundredth(meant)
		}
		if i > 0 && r.IntN(4) == 0 {
			return fmt.Sprintf(minus, cell), negative(meant)
		}
		return cell, meant
	}}
}

// short takes the zeros off the end of a number's decimals.
func short(n string) string {
	if !strings.Contains(n, ".") {
		return n
	}
	return strings.TrimSuffix(strings.TrimRight(n, "0"), ".")
}

// hundredth moves the point of a number by two places.
func hundredth(n string) string {
	whole, fraction, _ := strings.Cut(n, ".")
	whole = strings.Repeat("0", max(0, 3-len(whole))) + whole
	return short(whole[:len(whole)-2] + "." + whole[len(whole)-2:] + fraction)
}

// monthNames replace the English ones, in the order of the year.
var monthNames = map[string]string{
	"": "", "German": "Januar Februar März April Mai Juni Juli August September Oktober November Dezember",
	"French": "janv févr mars avr mai juin juil août sept oct nov déc", "Spanish": "ENE FEB MAR ABR MAY JUN JUL AGO SEP OCT NOV DIC",
}

// layouts are those of dates, as package time writes them, without a year that any of them may
// have in two digits.
var layouts = []string{
	"02/01/", "2/1/", "01/02/", "1/2/", "02-01-", "2-1-", "01-02-", "02.01.", "2.1.", "01.02.", "2 Jan ", "02-Jan-", "2 January ", "January 2, ", "2. January ",
	"Mon, 02 Jan ", "Monday, January 2, ", "Jan 2 ", "02Jan", "2. 1. ",
}

// clocks follow them.
var clocks = []string{"", "", " 15:04", " 15:04:05", "T15:04:05", " 15:04:05.000", " 3:04 PM", " 03:04:05 PM", " 15:04:05Z07:00", "T15:04Z07:00", ", 15:04", " 15:04:05.000000"}

func dates(r *rand.Rand) hand {
	year := one(r, "2006", "2006", "06")
	day := one(r, layouts...)
	if day == "2. 1. " {
		year = "2006"
	}
	layout := one(r, day+year, day+year, "2006-01-02", "20060102", "2006/01/02", "2006.01.02", "2006/1/2", "2006 Jan 2") + one(r, clocks...)
	if r.IntN(8) == 0 {
		layout = "20060102" + one(r, "T", " ", "") + "150405" + one(r, "", "Z07:00", "-0700")
	}
	language := ""
	if !strings.Contains(layout, "Mon") {
		language = one(r, "", "", "German", "French", "Spanish")
	}
	names := strings.Fields(monthNames[language])
	zone := time.FixedZone("", 3600*(r.IntN(12)-6))
	return hand{name: layout + language, write: func(i int) (string, string) {
		at := time.Date(1971+r.IntN(68), time.Month(1+r.IntN(12)), 1+r.IntN(28), r.IntN(24), r.IntN(60), r.IntN(60), r.IntN(1_000_000_000), zone)
		switch i {
		case 0:
			at = time.Date(1999, 12, 31, 15, 45, 59, 128_000_000, zone)
		case 1:
			at = time.Date(2028, 2, 29, 9, 5, 7, 501_000_000, zone)
		}
		cell := at.Format(layout)
		meant, err := time.Parse(layout, cell)
		if err != nil {
			panic(err)
		}
		if language != "" {
			full := meant.Month().String()
			cell = strings.NewReplacer(full, names[meant.Month()-1], full[:3], names[meant.Month()-1]).Replace(cell)
		}
		if !strings.Contains(layout, "04") {
			return cell, strconv.FormatInt(meant.Unix()/86400, 10)
		}
		return cell, strconv.FormatInt(meant.UnixMicro(), 10)
	}}
}

func timesOfDay(r *rand.Rand) hand {
	layout := one(r, "15:04", "15:04:05", "15:04:05.000", "3:04 PM", "03:04:05 pm", "3:04PM")
	return hand{name: layout, write: func(int) (string, string) {
		at := time.Date(1970, 1, 1, r.IntN(24), r.IntN(60), r.IntN(60), 0, time.UTC)
		cell := at.Format(layout)
		back, _ := time.Parse(layout, cell)
		return cell, strconv.FormatInt(back.AddDate(1970, 0, 0).UnixMicro(), 10)
	}}
}

func truths(r *rand.Rand) hand {
	pair := one(r, "yes no", "Y N", "true false", "TRUE FALSE", "t f", "oui non", "ja nein", "on off")
	words := strings.Fields(pair)
	return hand{name: pair, write: func(i int) (string, string) {
		no := i % 2
		if i > 1 {
			no = r.IntN(2)
		}
		return words[no], strconv.Itoa(1 - no)
	}}
}

func codes(r *rand.Rand) hand {
	form := one(r, "%05d", "KB-%04d", "%d-%d", "%03d.%03d.%03d", "%dA", "A%d", "+49 30 %06d", "%04d %04d %04d %04d", "#%d", "%d x", "v%d.%d", "%02d:%02d:%02d:%02d", "%d/%d/%d/%d")
	return hand{name: form, text: true, write: func(i int) (string, string) {
		var parts []any
		for range strings.Count(form, "%") {
			parts = append(parts, r.IntN(one(r, 10, 100)))
		}
		cell := fmt.Sprintf(form, parts...)
		return cell, cell
	}}
}

// meaning is an encoder that writes numbers without zeros at their end, dates as days and times
// as microseconds.
type meaning struct{}

func (meaning) AppendRecord(dst []byte) []byte      { return dst }
func (meaning) AppendNull(dst []byte, _ int) []byte { return append(dst, "null\n"...) }
func (meaning) Column(_ int, t table.Type) func([]byte, *value.Value) []byte {
	return func(dst []byte, v *value.Value) []byte {
		if t.Textual() {
			return append(append(dst, v.Text...), '\n')
		}
		return append(append(dst, short(string(v.AppendDecimal(nil)))...), '\n')
	}
}

// converted returns what the cells are read as.
func converted(t *testing.T, cells []string, c infer.Choice) (values []string) {
	t.Helper()
	conv, err := convert.New(planned(c), []string{"a", "b"}, template.Origin{}, dialect.PostgreSQL, meaning{})
	require.NoError(t, err)
	err = record.Run(context.Background(), open(t, cells), []record.Work[*convert.Block]{conv.Worker()}, func(k *convert.Block) error {
		values = append(values, strings.Split(strings.TrimSuffix(string(k.Data), "\n"), "\n")...)
		return nil
	})
	require.NoError(t, err)
	return values
}
