package main

import (
	"bufio"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"time"
)

var (
	benchColours = []string{"honey", "cognac", "lemon", "cherry", "green", "butterscotch", "clear"}
	benchPlaces  = []string{"Kestrel Bay", "Harrow Sands", "Old Quarry", "Marl Point", "Sable Reach", "Tern Island"}
	benchThings  = []string{"gnat", "beetle", "fern leaf", "feather", "ant", "spider", "moss", "lacewing", "bark", "air bubble"}
)

// writeData writes a file of n records with 11 mixed columns: whole numbers,
// codes with leading zeros, decimals, dates, timestamps with blanks, booleans
// and quoted text with commas and doubled quotes. It is the same every time.
func writeData(path string, from, n int) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	defer f.Close()
	w := bufio.NewWriterSize(f, 1<<20)
	fmt.Fprintln(w, "specimen_id,shelf_code,name,colour,mass_g,value,found_on,examined_at,on_loan,pieces,note")
	rng := rand.New(rand.NewPCG(7, 11))
	day := time.Date(1990, 1, 1, 0, 0, 0, 0, time.UTC)
	var line []byte
	for i := range n {
		line = appendRecord(line[:0], rng, day, from+i)
		_, err := w.Write(line)
		if err != nil {
			return err
		}
	}
	err = w.Flush()
	if err != nil {
		return err
	}
	return f.Close()
}

func appendRecord(b []byte, rng *rand.Rand, day time.Time, i int) []byte {
	thing := benchThings[rng.IntN(len(benchThings))]
	place := benchPlaces[rng.IntN(len(benchPlaces))]
	b = strconv.AppendInt(b, int64(100000+i), 10)
	b = fmt.Appendf(b, ",%05d,", rng.IntN(90000))
	b = fmt.Appendf(b, "%s in amber,%s,", thing, benchColours[rng.IntN(len(benchColours))])
	b = strconv.AppendFloat(b, float64(rng.IntN(5000000))/100, 'f', 2, 64)
	b = append(b, ',')
	b = strconv.AppendFloat(b, float64(rng.IntN(1000000))/10, 'f', 1, 64)
	b = append(b, ',')
	found := day.AddDate(0, 0, rng.IntN(12000))
	b = found.AppendFormat(b, "2006-01-02,")
	if rng.IntN(10) > 0 {
		b = found.Add(time.Duration(rng.IntN(86400*30))*time.Second).AppendFormat(b, "2006-01-02 15:04:05")
	}
	b = fmt.Appendf(b, ",%t,%d,", rng.IntN(5) == 0, rng.IntN(40)+1)
	switch rng.IntN(4) {
	case 0:
		b = fmt.Appendf(b, "\"%s, tray %d\"\n", place, rng.IntN(500))
	case 1:
		b = fmt.Appendf(b, "\"labelled \"\"%s\"\", re-housed\"\n", thing)
	case 2:
		b = append(b, '\n')
	default:
		b = fmt.Appendf(b, "%s\n", place)
	}
	return b
}

// writeNumbers writes a file of n records of whole numbers.
func writeNumbers(path string, columns, n int) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	defer f.Close()
	w := bufio.NewWriterSize(f, 1<<20)
	var line []byte
	for i := -1; i < n; i++ {
		line = line[:0]
		for c := range columns {
			if i < 0 {
				line = fmt.Appendf(line, "q%d,", c+1)
				continue
			}
			line = append(strconv.AppendInt(line, int64(i*7+c*c%1009), 10), ',')
		}
		line[len(line)-1] = '\n'
		_, err := w.Write(line)
		if err != nil {
			return err
		}
	}
	return errors.Join(w.Flush(), f.Close())
}
