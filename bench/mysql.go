package main

import (
	"database/sql"
	"fmt"
	"io"
	"net/url"
	"os"

	"github.com/go-sql-driver/mysql"
)

// floorMySQL feeds the file as it is to the server's own local bulk load.
func floorMySQL(path, address string) error {
	db, err := openMySQL(address)
	if err != nil {
		return err
	}
	defer db.Close()
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	mysql.RegisterReaderHandler("floor", func() io.Reader { return f })
	_, err = db.Exec(createTable + " ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin")
	if err != nil {
		return err
	}
	_, err = db.Exec(`LOAD DATA LOCAL INFILE 'Reader::floor' INTO TABLE specimens CHARACTER SET utf8mb4
		FIELDS TERMINATED BY ',' OPTIONALLY ENCLOSED BY '"' ESCAPED BY '' LINES TERMINATED BY '\n' IGNORE 1 LINES
		(specimen_id, shelf_code, name, colour, mass_g, value, found_on, @examined, @lent, pieces, @note)
		SET examined_at = nullif(@examined, ''), on_loan = @lent = 'true', note = nullif(@note, '')`)
	return err
}

func dropMySQL(address string) error {
	db, err := openMySQL(address)
	if err != nil {
		return err
	}
	defer db.Close()
	_, err = db.Exec("DROP TABLE IF EXISTS specimens")
	return err
}

func openMySQL(address string) (*sql.DB, error) {
	u, err := url.Parse(address)
	if err != nil {
		return nil, err
	}
	return sql.Open("mysql", fmt.Sprintf("%s@tcp(%s)%s", u.User, u.Host, u.Path))
}
