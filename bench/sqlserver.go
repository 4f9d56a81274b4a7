package main

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"strconv"
	"time"

	mssql "github.com/microsoft/go-mssqldb"
)

const createSQLServer = `CREATE TABLE specimens (
	specimen_id int NOT NULL, shelf_code nchar(5) NOT NULL, name nvarchar(30) NOT NULL,
	colour nvarchar(20) NOT NULL, mass_g decimal(8,2) NOT NULL, value decimal(7,1) NOT NULL,
	found_on date NOT NULL, examined_at datetime2(6), on_loan bit NOT NULL,
	pieces int NOT NULL, note nvarchar(40), PRIMARY KEY (specimen_id))`

// readyRows is how many rows the floor has ready, which it sends again and again.
const readyRows = 1000

// ready makes values like those of the file, of the types that the driver takes.
func ready() (rows [][]any) {
	rng := rand.New(rand.NewPCG(7, 11))
	day := time.Date(1990, 1, 1, 0, 0, 0, 0, time.UTC)
	for range readyRows {
		thing, place := benchThings[rng.IntN(len(benchThings))], benchPlaces[rng.IntN(len(benchPlaces))]
		found := day.AddDate(0, 0, rng.IntN(12000))
		var examined, note any
		if rng.IntN(10) > 0 {
			examined = found.Add(time.Duration(rng.IntN(86400*30)) * time.Second)
		}
		switch rng.IntN(4) {
		case 0:
			note = fmt.Sprintf("%s, tray %d", place, rng.IntN(500))
		case 1:
			note = fmt.Sprintf("labelled %q, re-housed", thing)
		case 3:
			note = place
		}
		rows = append(rows, []any{
			int64(0), fmt.Sprintf("%05d", rng.IntN(90000)), thing + " in amber", benchColours[rng.IntN(len(benchColours))],
			fmt.Sprintf("%.2f", float64(rng.IntN(5000000))/100), fmt.Sprintf("%.1f", float64(rng.IntN(1000000))/10),
			found, examined, rng.IntN(5) == 0, int64(rng.IntN(40) + 1), note,
		})
	}
	return rows
}

// floorSQLServer feeds values that are ready to the driver's own bulk copy.
func floorSQLServer(records, address string) error {
	n, err := strconv.Atoi(records)
	if err != nil {
		return err
	}
	db, err := sql.Open("sqlserver", address)
	if err != nil {
		return err
	}
	defer db.Close()
	ctx := context.Background()
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	_, err = tx.Exec(createSQLServer)
	if err != nil {
		return err
	}
	stmt, err := tx.Prepare(mssql.CopyIn("specimens", mssql.BulkOptions{KeepNulls: true}, "specimen_id", "shelf_code", "name", "colour", "mass_g", "value", "found_on", "examined_at", "on_loan", "pieces", "note"))
	if err != nil {
		return err
	}
	rows := ready()
	for i := range n {
		row := rows[i%len(rows)]
		row[0] = int64(100000 + i)
		_, err := stmt.Exec(row...)
		if err != nil {
			return err
		}
	}
	_, err = stmt.Exec()
	return errors.Join(err, stmt.Close(), tx.Commit())
}

func dropSQLServer(address string) error {
	db, err := sql.Open("sqlserver", address)
	if err != nil {
		return err
	}
	defer db.Close()
	_, err = db.Exec("DROP TABLE IF EXISTS specimens")
	return err
}
