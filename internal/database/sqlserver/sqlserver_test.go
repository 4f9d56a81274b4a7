package sqlserver_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/database/sqlserver"
	"ambertray/internal/databasetest"
	"ambertray/internal/standin"
)

const password = "Amber!1"

// server starts a stand-in with the database museum, and returns it and the URL.
func server(t testing.TB, o standin.Options) (*standin.Server, string) {
	t.Helper()
	o.Dir = t.TempDir()
	o.Logins = map[string]standin.Login{"sa": {Password: password}, "reader": {Password: password, ReadOnly: true}, "writer": {Password: password, NoCreate: true}}
	secure, err := standin.SelfSigned()
	require.NoError(t, err)
	o.TLS = secure
	if testing.Verbose() {
		o.Log = func(text string) { fmt.Println(text) }
	}
	s, err := standin.Start("127.0.0.1:0", o)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	require.NoError(t, s.CreateDatabase("museum"))
	return s, fmt.Sprintf("sqlserver://sa:%s@%s?database=museum&trustservercertificate=true", "Amber%211", s.Address())
}

func open(t testing.TB, url string) *sqlserver.Target {
	t.Helper()
	to, err := sqlserver.Open(context.Background(), url, "")
	require.NoError(t, err)
	return to
}

func TestContract(t *testing.T) {
	_, url := server(t, standin.Options{})
	databasetest.Run(t, func() database.Target { return open(t, url) })
}
