// Command demodata writes the files of the Kestrel Bay Museum in demo/, with
// every trap that a load has to see. It writes the same bytes every time:
//
//	go run ./scripts/demodata
package main

import (
	"encoding/csv"
	"fmt"
	"log"
	"math/rand/v2"
	"os"
	"strings"
	"time"
)

const specimens = 1204

var (
	inclusions = []string{"fungus gnat", "leaf beetle", "fern leaf", "down feather", "worker ant", "orb spider", "moss", "lacewing", "bark", "air bubbles", "pseudoscorpion", "none"}
	colours    = []string{"honey", "cognac", "lemon", "cherry", "green", "butterscotch", "clear"}
	places     = []string{"Kestrel Bay, north shore", "Harrow Sands", "Old Quarry, level 2", "Marl Point", "Sable Reach", "Tern Island"}
	borrowers  = []string{"Harrow College", "Institute of Resins, Marl Point", "Tern Island School", "Sable Reach Gallery", "Müller & Søn, conservators"}
)

func main() {
	for name, write := range map[string]func() string{
		"demo/specimens.csv":  specimenFile,
		"demo/loans.csv":      loanFile,
		"demo/localities.txt": localityFile,
		"demo/reports.tsv":    reportFile,
	} {
		err := os.WriteFile(name, []byte(write()), 0o644)
		if err != nil {
			log.Fatal(err)
		}
	}
	err := writeWorkbook("demo/loans-2026.xlsx")
	if err != nil {
		log.Fatal(err)
	}
}

// specimenFile has whole numbers, codes with leading zeros, money with
// thousands separators, decimals, dates with the day first, timestamps with
// blanks, truths, null words, quotes, line breaks and a unique identifier.
func specimenFile() string {
	rng := rand.New(rand.NewPCG(1, 2))
	rows := [][]string{{
		"Specimen No", "Shelf Code", "Name", "Colour", "Mass (g)", "Value £", "Pieces",
		"Found On", "Examined At", "On Loan?", "Clarity %", "Locality", "Remarks",
	}}
	first := time.Date(1987, 3, 9, 0, 0, 0, 0, time.UTC)
	for i := range specimens {
		found := first.AddDate(0, 0, rng.IntN(13900))
		rows = append(rows, []string{
			fmt.Sprintf("KB-%05d", i+1),
			fmt.Sprintf("%05d", rng.IntN(90000)),
			pick(rng, inclusions) + " in amber",
			pick(rng, colours),
			mass(rng, i),
			thousands(rng.IntN(9_500_000) + 1200),
			fmt.Sprint(1 + rng.IntN(6)*rng.IntN(4)),
			found.Format("02/01/2006"),
			examined(rng, found),
			pick(rng, []string{"yes", "no", "no", "no"}),
			fmt.Sprintf("%d", 20+rng.IntN(80)),
			pick(rng, places),
			remark(rng),
		})
	}
	return encode(rows)
}

func pick[T any](rng *rand.Rand, list []T) T { return list[rng.IntN(len(list))] }

func mass(rng *rand.Rand, i int) string {
	if i%301 == 17 {
		return "n/a"
	}
	return fmt.Sprintf("%.2f", float64(12+rng.IntN(430000))/100)
}

// thousands writes pence as pounds, with commas between groups of three.
func thousands(pence int) string {
	pounds := fmt.Sprint(pence / 100)
	for i := len(pounds) - 3; i > 0; i -= 3 {
		pounds = pounds[:i] + "," + pounds[i:]
	}
	return fmt.Sprintf("%s.%02d", pounds, pence%100)
}

func examined(rng *rand.Rand, found time.Time) string {
	if rng.IntN(8) == 0 {
		return strings.Repeat(" ", rng.IntN(2))
	}
	return found.Add(time.Duration(rng.IntN(86400*400)) * time.Second).Format("2006-01-02 15:04:05")
}

func remark(rng *rand.Rand) string {
	switch rng.IntN(9) {
	case 0:
		return `labelled "` + pick(rng, inclusions) + `", re-housed`
	case 1:
		return "two fractures\nsee the photograph"
	case 2:
		return "Bernstein, geschliffen; Größe geprüft"
	case 3:
		return pick(rng, places) + ", tray " + fmt.Sprint(rng.IntN(40))
	}
	return ""
}

// loanFile is small, and a few of its records are broken: a date that does not
// exist, a cell too many, two too few, a quote that is never closed.
func loanFile() string {
	rng := rand.New(rand.NewPCG(3, 4))
	rows := [][]string{{"Loan No", "Specimen No", "Borrower", "Lent On", "Due Back", "Fee", "Insured"}}
	day := time.Date(2026, 1, 5, 0, 0, 0, 0, time.UTC)
	for i := range 180 {
		lent := day.AddDate(0, 0, i*2)
		rows = append(rows, []string{
			fmt.Sprintf("%05d", 311+i*7), fmt.Sprintf("KB-%05d", 1+rng.IntN(specimens)), pick(rng, borrowers),
			lent.Format("02/01/2006"), lent.AddDate(0, 0, 14+rng.IntN(120)).Format("02/01/2006"),
			fmt.Sprintf("%d.%02d", 15+rng.IntN(300), rng.IntN(4)*25), pick(rng, []string{"true", "false"}),
		})
	}
	rows[111][4] = "31/02/2026"
	lines := strings.Split(strings.TrimSuffix(encode(rows), "\n"), "\n")
	lines[37] += ",paid twice"
	lines[64] = strings.Join(strings.SplitN(lines[64], ",", 4)[:3], ",")
	lines[90] = strings.Replace(lines[90], ",KB-", `,"KB-`, 1)
	lines[150] = ""
	return strings.Join(lines, "\r\n") + "\r\n"
}

// localityFile is a listing as older programs print it: titles above the
// header, a ruler below it, codes with leading zeros, a total at the end.
func localityFile() string {
	rng := rand.New(rand.NewPCG(5, 6))
	var out strings.Builder
	out.WriteString("Kestrel Bay Museum\nLocalities of the amber collection, as of 31/10/2026\n\nCode|Locality|Depth (m)|Surveyed|Specimens\n----|--------|---------|--------|---------\n")
	total := 0
	for i := range 48 {
		n := rng.IntN(60)
		total += n
		surveyed := time.Date(2019, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, rng.IntN(2500)).Format("02/01/2006")
		surveyed = []string{surveyed, ""}[rng.IntN(8)/7]
		fmt.Fprintf(&out, "%04d|%s %d|%.1f|%s|%d\n", 7+i*13, pick(rng, places), i+1, float64(rng.IntN(400))/10, surveyed, n)
	}
	fmt.Fprintf(&out, "Total||||%d\n", total)
	return out.String()
}

// reportFile is typed by hand: names of months, am and pm, offsets, percent,
// credits in parentheses, a value that is no number among numbers, and no
// single column that identifies the reports.
func reportFile() string {
	rng := rand.New(rand.NewPCG(7, 8))
	rows := []string{"Specimen No\tVisit\tExamined\tAt\tSent\tHumidity\tLight (lux)\tCost\tStable?\tConservator\tTelephone"}
	zones := []*time.Location{time.UTC, time.FixedZone("", 3600), time.FixedZone("", 2*3600)}
	for i := range 240 {
		day := time.Date(2025, 11, 3, 8, 0, 0, 0, time.UTC).Add(time.Duration(i/3*24+rng.IntN(9)) * time.Hour).Add(time.Duration(rng.IntN(12)*5) * time.Minute)
		light := fmt.Sprint(40 + rng.IntN(160))
		if i == 70 {
			light = "<50"
		}
		cost := "£" + thousands(rng.IntN(190_000)+2500)
		if rng.IntN(15) == 0 {
			cost = "(" + cost + ")"
		}
		rows = append(rows, strings.Join([]string{
			fmt.Sprintf("KB-%05d", 1+i/3*7), fmt.Sprint(1 + i%3), day.Format("2 Jan 2006"), day.Format("3:04 pm"),
			day.Add(time.Hour).In(pick(rng, zones)).Format("2006-01-02T15:04:05Z07:00"),
			fmt.Sprintf("%.1f%%", 38+rng.Float64()*20), light, cost, pick(rng, []string{"Y", "Y", "N"}),
			pick(rng, []string{"A. Lund", "B. Okoro", "M. Søn", ""}), fmt.Sprintf("+44 1632 960%03d", rng.IntN(1000)),
		}, "\t"))
	}
	return strings.Join(rows, "\n") + "\n"
}

func encode(rows [][]string) string {
	var out strings.Builder
	w := csv.NewWriter(&out)
	err := w.WriteAll(rows)
	if err != nil {
		log.Fatal(err)
	}
	return out.String()
}
