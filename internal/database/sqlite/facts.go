package sqlite

import (
	"context"
	"os"

	"github.com/dustin/go-humanize"

	"ambertray/internal/database"
)

// Facts implements database.Prober.
func (t *Target) Facts(ctx context.Context) ([]database.Fact, error) {
	rows, err := t.Query(ctx, "SELECT sqlite_version(), journal_mode FROM pragma_journal_mode()")
	if err != nil {
		return nil, err
	}
	facts := []database.Fact{{Name: "engine", Value: "SQLite " + rows[0][0], OK: true}, {Name: "journal", Value: rows[0][1], OK: true}}
	info, err := os.Stat(t.path)
	if err == nil {
		facts = append(facts, database.Fact{Name: "size", Value: humanize.Bytes(uint64(info.Size())), OK: true})
	}
	return facts, nil
}

// Grant implements database.Prober.
func (t *Target) Grant(string) string {
	return "give yourself the right to write " + t.path + " and the folder that it is in"
}
