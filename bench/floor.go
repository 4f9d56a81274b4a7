package main

import (
	"bufio"
	"compress/gzip"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"runtime"
	"strconv"

	"github.com/jackc/pgx/v5"
	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"ambertray/internal/intake"
	"ambertray/internal/record"
	"ambertray/internal/source"
)

// The table that both sides load into.
const createTable = `CREATE TABLE specimens (
	specimen_id integer NOT NULL, shelf_code char(5) NOT NULL, name varchar(30) NOT NULL,
	colour varchar(20) NOT NULL, mass_g numeric(8,2) NOT NULL, value numeric(7,1) NOT NULL,
	found_on date NOT NULL, examined_at timestamp, on_loan boolean NOT NULL,
	pieces integer NOT NULL, note varchar(40), PRIMARY KEY (specimen_id))`

// runFloor does what a contest's floor does, in a process of its own.
func runFloor(name string, args []string) error {
	switch name {
	case "cut":
		workers, err := strconv.Atoi(args[1])
		if err != nil {
			return err
		}
		return cut(args[0], workers)
	case "unpack":
		return floorUnpack(args[0])
	case "unzip":
		return floorUnzip(args[0])
	case "rows":
		return floorRows(args[0])
	case "csv":
		return floorCSV(args[0], func([]string) error { return nil })
	case "rewrite":
		return floorRewrite(args[0], args[1])
	case "export":
		return floorExport(args[0], args[1])
	case "client":
		return floorClient(args[0], args[1:])
	case "mysql":
		return floorMySQL(args[0], args[1])
	case "sqlserver":
		return floorSQLServer(args[0], args[1])
	case "postgres":
		return floorPostgres(args[0], args[1])
	case "sqlite":
		return floorSQLite(args[0], args[1])
	}
	return fmt.Errorf("unknown floor %q", name)
}

// floorRewrite reads a file and writes it again with the standard library.
func floorRewrite(from, to string) error {
	f, err := os.Create(to)
	if err != nil {
		return err
	}
	out := bufio.NewWriterSize(f, 1<<20)
	w := csv.NewWriter(out)
	err = floorCSV(from, w.Write)
	w.Flush()
	return errors.Join(err, w.Error(), out.Flush(), f.Close())
}

// floorCSV is one pass of the standard library's reader.
func floorCSV(path string, each func([]string) error) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	r := csv.NewReader(bufio.NewReaderSize(f, 1<<20))
	r.ReuseRecord = true
	for {
		rec, err := r.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		err = each(rec)
		if err != nil {
			return err
		}
	}
}

// cut is not a floor but the reader alone: records and cells are found, and
// nothing is done with them.
func cut(path string, workers int) error {
	runtime.GOMAXPROCS(workers)
	ctx := context.Background()
	in, err := intake.Open(ctx, &source.Opener{}, []string{path}, source.DefaultLayout(), intake.Expected{}, false)
	if err != nil {
		return err
	}
	defer in.Close()
	var works []record.Work[int]
	for range workers {
		works = append(works, func(b *record.Batch) (int, error) { return b.Len(), nil })
	}
	return record.Run(ctx, in, works, func(int) error { return nil })
}

// pack writes the file once more, compressed.
func pack(path string) error {
	from, err := os.Open(path)
	if err != nil {
		return err
	}
	defer from.Close()
	to, err := os.Create(path + ".gz")
	if err != nil {
		return err
	}
	defer to.Close()
	w := gzip.NewWriter(to)
	_, err = io.Copy(w, from)
	if err != nil {
		return err
	}
	return w.Close()
}

// floorUnpack decompresses with the standard library.
func floorUnpack(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	r, err := gzip.NewReader(bufio.NewReaderSize(f, 1<<20))
	if err != nil {
		return err
	}
	_, err = io.Copy(io.Discard, r)
	return err
}

// floorPostgres feeds the file as it is to the server's own CSV COPY.
func floorPostgres(path, url string) error {
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	tx, err := conn.Begin(ctx)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, createTable)
	if err != nil {
		return err
	}
	_, err = conn.PgConn().CopyFrom(ctx, f, "COPY specimens FROM STDIN (FORMAT csv, HEADER)")
	if err != nil {
		return err
	}
	return tx.Commit(ctx)
}

func floorDrop(url string) error {
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, "DROP TABLE IF EXISTS specimens; CHECKPOINT")
	return err
}

// floorSQLite is the loop that one would write by hand: a record at a time,
// its text bound as it is.
func floorSQLite(path, db string) error {
	conn, err := sqlite.OpenConn(db, sqlite.OpenReadWrite|sqlite.OpenCreate)
	if err != nil {
		return err
	}
	defer conn.Close()
	for _, sql := range []string{"BEGIN", createTable} {
		err := sqlitex.ExecuteTransient(conn, sql, nil)
		if err != nil {
			return err
		}
	}
	stmt, err := conn.Prepare("INSERT INTO specimens VALUES (?,?,?,?,?,?,?,?,?,?,?)")
	if err != nil {
		return err
	}
	first := true
	err = floorCSV(path, func(rec []string) error {
		if first {
			first = false
			return nil
		}
		for i, cell := range rec {
			if cell == "" {
				stmt.BindNull(i + 1)
			} else {
				stmt.BindText(i+1, cell)
			}
		}
		_, err := stmt.Step()
		if err != nil {
			return err
		}
		return stmt.Reset()
	})
	if err != nil {
		return err
	}
	return sqlitex.ExecuteTransient(conn, "COMMIT", nil)
}

// floorExport writes a table by the server's own COPY.
func floorExport(path, address string) error {
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(f, 1<<20)
	_, err = conn.PgConn().CopyTo(ctx, w, "COPY specimens TO STDOUT (FORMAT csv, HEADER)")
	return errors.Join(err, w.Flush(), f.Close())
}

// floorClient writes what a client of the server prints to the file at path.
func floorClient(path string, command []string) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	c := exec.Command(command[0], command[1:]...)
	c.Stdout, c.Stderr = f, os.Stderr
	return errors.Join(c.Run(), f.Close())
}
