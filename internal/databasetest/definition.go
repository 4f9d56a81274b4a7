package databasetest

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
)

// definitionMakesTable makes a table again from its definition, which then is the same.
func definitionMakesTable(t *testing.T, to database.Target) {
	ctx := context.Background()
	execAll(t, to, "CREATE TABLE described_case (code varchar(5) NOT NULL PRIMARY KEY)",
		`CREATE TABLE described (no integer NOT NULL, code varchar(5) DEFAULT 'A1', mass decimal(7,2), pieces integer NOT NULL,
			CONSTRAINT described_no PRIMARY KEY (no), CONSTRAINT described_code UNIQUE (code), CONSTRAINT described_pieces CHECK (pieces > 0),
			CONSTRAINT described_in FOREIGN KEY (code) REFERENCES described_case (code) ON DELETE CASCADE)`,
		"CREATE INDEX described_mass ON described (mass, no)")
	statements, err := database.Definition(ctx, to, "described")
	require.NoError(t, err)
	all := strings.Join(statements, "\n")
	for _, part := range []string{"described_code", "described_pieces", "described_in", "described_mass", "CASCADE", "A1", "PRIMARY KEY"} {
		require.Contains(t, all, part)
	}
	execAll(t, to, "DROP TABLE described")
	execAll(t, to, statements...)
	again, err := database.Definition(ctx, to, "described")
	require.NoError(t, err)
	require.Equal(t, statements, again)
	execAll(t, to, "DROP TABLE described", "DROP TABLE described_case")
}

// execAll runs statements one after the other.
func execAll(t *testing.T, to database.Target, statements ...string) {
	t.Helper()
	for _, s := range statements {
		_, err := to.Exec(context.Background(), s)
		require.NoError(t, err, s)
	}
}
