package ledger

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"ambertray/internal/create"
	"ambertray/internal/record"
	"ambertray/internal/table"
)

// Names of the tables of shared loads. Proofs are kept apart from
// leases: a proof is written in the transaction that loads, a lease outside of it. The key
// of the proofs makes it impossible to load a share twice, whatever happens to its lease.
const (
	sharesName = "ambertray_shares"
	proofsName = "ambertray_shares_proved"
)

// Share is the part of a load that one loader loads at a time.
type Share struct {
	record.Share
	Number int    // from 1
	Plan   string // identifies the plan of the load
	Lease
	Proof *Proof // nil until it is proved
}

// Lease is the loader that has a share, and the time in seconds, by the clock of the
// server, when the lease expires; 0 means that no loader has it.
type Lease struct {
	Loader string
	Until  int64
}

// Proof records that a loader has loaded a share and proved it.
type Proof struct {
	Share            int
	Loader           string
	Tray, Load       string
	Loaded, Rejected int64
	// Altered counts the values that were not loaded as they are written.
	Altered [][]int64
	At      time.Time
}

var whole = table.Type{Kind: table.BigInt}

func word(size int) table.Type {
	return table.Type{Kind: table.Varchar, Size: size, Characters: table.Unicode}
}

func sharesPlan() *table.Table {
	return &table.Table{Name: sharesName, Key: []string{"load_id", "share"}, Comment: "Shares of shared loads, and their leases", Columns: []table.Column{
		{Name: "load_id", Type: word(24)}, {Name: "share", Type: table.Type{Kind: table.Integer}}, {Name: "plan", Type: word(16)},
		{Name: "part", Type: table.Type{Kind: table.Integer}}, {Name: "after_record", Type: whole}, {Name: "last_record", Type: whole},
		{Name: "text_offset", Type: whole}, {Name: "line", Type: whole}, {Name: "mark", Type: word(16)},
		{Name: "loader", Type: word(200)}, {Name: "leased_until", Type: whole},
	}}
}

func proofsPlan() *table.Table {
	return &table.Table{Name: proofsName, Key: []string{"load_id", "share"}, Comment: "Shares that are loaded and proved", Columns: []table.Column{
		{Name: "load_id", Type: word(24)}, {Name: "share", Type: table.Type{Kind: table.Integer}}, {Name: "loader", Type: word(200)},
		{Name: "tray", Type: table.Type{Kind: table.Text, Characters: table.Unicode}}, {Name: "tray_load", Type: word(20)},
		{Name: "rows_loaded", Type: whole}, {Name: "rows_rejected", Type: whole},
		{Name: "altered", Type: table.Type{Kind: table.Text, Characters: table.Unicode}}, {Name: "proved_at", Type: word(27)},
	}}
}

// MakeShares makes the tables of shared loads.
func MakeShares(ctx context.Context, db DB) error {
	for _, t := range []*table.Table{sharesPlan(), proofsPlan()} {
		_, err := makeTable(ctx, db, t, create.Once)
		if err != nil {
			return err
		}
	}
	return nil
}

// sharesAtOnce is how many shares a statement inserts.
const sharesAtOnce = 500

// Divide writes the shares of a load.
func Divide(ctx context.Context, db DB, id, plan string, shares []record.Share) error {
	d := db.Dialect()
	var rows []string
	for i, s := range shares {
		rows = append(rows, fmt.Sprintf("(%s, %d, %s, %d, %d, %d, %d, %d, '%016x', '', 0)", d.Literal(id), i+1, d.Literal(plan), s.Part, s.After, s.Last, s.Offset, s.Line, s.Mark))
		if len(rows) < sharesAtOnce && i < len(shares)-1 {
			continue
		}
		_, err := db.Exec(ctx, "INSERT INTO "+sharesName+" VALUES "+strings.Join(rows, ", "))
		if err != nil {
			return err
		}
		rows = rows[:0]
	}
	return nil
}

// Shares returns the shares of a load.
func Shares(ctx context.Context, db DB, id string) ([]Share, error) {
	rows, err := db.Query(ctx, fmt.Sprintf(`SELECT s.share, s.plan, s.part, s.after_record, s.last_record, s.text_offset, s.line, s.mark, s.loader, s.leased_until,
		p.loader, p.tray, p.tray_load, p.rows_loaded, p.rows_rejected, p.proved_at, p.altered
		FROM %s s LEFT JOIN %s p ON p.load_id = s.load_id AND p.share = s.share WHERE s.load_id = %s ORDER BY s.share`, sharesName, proofsName, db.Dialect().Literal(id)))
	if err != nil {
		return nil, err
	}
	var list []Share
	for _, row := range rows {
		s, err := scanShare(row)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", sharesName, err)
		}
		list = append(list, s)
	}
	return list, nil
}

// addProved counts what the proved shares of an unfinished load have read and loaded.
func (e *Entry) addProved(ctx context.Context, db DB) error {
	shares, err := Shares(ctx, db, e.ID)
	for i := range shares {
		p := shares[i].Proof
		if p != nil {
			e.Read, e.Loaded = e.Read+p.Loaded+p.Rejected, e.Loaded+p.Loaded
		}
	}
	return err
}

func scanShare(row []string) (s Share, err error) {
	var errs []error
	number := func(text string) int64 {
		n, err := strconv.ParseInt(text, 10, 64)
		errs = append(errs, err)
		return n
	}
	s = Share{Number: int(number(row[0])), Plan: row[1], Lease: Lease{Loader: row[8], Until: number(row[9])}}
	s.Share = record.Share{Part: int(number(row[2])), After: number(row[3]), Last: number(row[4]), Offset: number(row[5]), Line: number(row[6])}
	s.Mark, err = strconv.ParseUint(row[7], 16, 64)
	errs = append(errs, err)
	if row[15] != "" {
		at, err := time.Parse(time.RFC3339, row[15])
		errs = append(errs, err)
		s.Proof = &Proof{Share: s.Number, Loader: row[10], Tray: row[11], Load: row[12], Loaded: number(row[13]), Rejected: number(row[14]), At: at}
		errs = append(errs, json.Unmarshal([]byte(row[16]), &s.Proof.Altered))
	}
	return s, errors.Join(errs...)
}

// ErrTaken is returned when another loader has taken a share.
var ErrTaken = errors.New("another loader has taken the share")

// Take leases a share for some seconds, or returns ErrTaken if the
// lease has changed since it was read.
func Take(ctx context.Context, db DB, id string, s *Share, loader string, seconds int) error {
	d := db.Dialect()
	n, err := db.Exec(ctx, fmt.Sprintf("UPDATE %s SET loader = %s, leased_until = %s + %d WHERE load_id = %s AND share = %d AND loader = %s AND leased_until = %d",
		sharesName, d.Literal(loader), d.Now, seconds, d.Literal(id), s.Number, d.Literal(s.Loader), s.Until))
	if err == nil && n != 1 {
		err = ErrTaken
	}
	return err
}

// Renew extends the lease of a share by some seconds, or returns ErrTaken. With 0 seconds
// it gives the share back.
func Renew(ctx context.Context, db DB, id string, share int, loader string, seconds int) error {
	d := db.Dialect()
	until := "0"
	if seconds > 0 {
		until = fmt.Sprintf("%s + %d", d.Now, seconds)
	}
	where := fmt.Sprintf("load_id = %s AND share = %d AND loader = %s", d.Literal(id), share, d.Literal(loader))
	_, err := db.Exec(ctx, fmt.Sprintf("UPDATE %s SET leased_until = %s WHERE %s", sharesName, until, where))
	if err != nil {
		return err
	}
	held, err := db.Query(ctx, "SELECT share FROM "+sharesName+" WHERE "+where) // a server may count only rows that it changed
	if err == nil && len(held) == 0 {
		err = ErrTaken
	}
	return err
}

// Clock returns the time of the server in seconds.
func Clock(ctx context.Context, db DB) (int64, error) {
	rows, err := db.Query(ctx, "SELECT "+db.Dialect().Now)
	if err != nil {
		return 0, err
	}
	return strconv.ParseInt(rows[0][0], 10, 64)
}

// write writes the proof of a share in the transaction that loads it. It fails for a share
// that is proved, and for a load that has ended or whose table was replaced.
func (p *Proof) write(ctx context.Context, db DB, id string) error {
	d := db.Dialect()
	rows, err := db.Query(ctx, fmt.Sprintf("SELECT state FROM %s WHERE id = %s %s", Name, d.Literal(id), d.KeepRow))
	if err != nil {
		return err
	}
	if len(rows) != 1 || State(rows[0][0]) != Partial {
		return fmt.Errorf("load %s: %w", id, ErrMoved)
	}
	altered, err := json.Marshal(p.Altered)
	if err != nil {
		return err
	}
	_, err = db.Exec(ctx, fmt.Sprintf("INSERT INTO %s VALUES (%s, %d, %s, %s, %s, %d, %d, %s, %s)", proofsName,
		d.Literal(id), p.Share, d.Literal(p.Loader), d.Literal(p.Tray), d.Literal(p.Load), p.Loaded, p.Rejected, d.Literal(string(altered)), literal(d, &p.At)))
	return err
}

// Complete marks a load as loaded, after all its shares are proved.
func Complete(ctx context.Context, db DB, e *Entry) error {
	d := db.Dialect()
	n, err := db.Exec(ctx, fmt.Sprintf("UPDATE %s SET state = '%s', parts = %s, rows_read = %d, rows_loaded = %d, tray = %s, tray_load = %s WHERE state = '%s' AND id = %s",
		Name, Loaded, literal(d, &e.Parts), e.Read, e.Loaded, d.Literal(e.Tray), d.Literal(e.Load), Partial, d.Literal(e.ID)))
	if err == nil && n != 1 {
		err = fmt.Errorf("load %s: %w", e.ID, ErrMoved)
	}
	return err
}

// forgetShares removes the shares of a load.
func forgetShares(ctx context.Context, db DB, id string) error {
	for _, name := range []string{sharesName, proofsName} {
		_, err := db.Exec(ctx, "DELETE FROM "+name+" WHERE load_id = "+db.Dialect().Literal(id))
		if err != nil {
			return err
		}
	}
	return nil
}
