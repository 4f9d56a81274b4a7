package mysql

import (
	"context"
	"fmt"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
)

// smallPacket is what a statement that inserts rows should be able to have.
const smallPacket = 16 << 20

// Facts implements database.Prober.
func (t *Target) Facts(ctx context.Context) ([]database.Fact, error) {
	rows, err := t.Query(ctx, fmt.Sprintf(`SELECT version(), current_user(), @@character_set_database, @@local_infile, @@read_only, @@max_allowed_packet,
		@@max_allowed_packet < %d`, smallPacket))
	if err != nil {
		return nil, err
	}
	v := rows[0]
	user, host, _ := strings.Cut(v[1], "@")
	t.account = dialect.MySQL.Literal(user) + "@" + dialect.MySQL.Literal(host)
	cipher, err := t.Query(ctx, "SHOW SESSION STATUS LIKE 'Ssl_version'")
	if err != nil {
		return nil, err
	}
	encrypted := database.Fact{Name: "encrypted", Value: "no", OK: t.local, Remedy: "add ?tls=true to the URL; tls_ca=FILE names the authority that the server's certificate is from"}
	if len(cipher) > 0 && cipher[0][1] != "" {
		encrypted.Value, encrypted.OK = cipher[0][1], true
	}
	product := "MySQL "
	if strings.Contains(v[0], "MariaDB") {
		product = ""
	}
	facts := []database.Fact{
		{Name: "server", Value: product + v[0], OK: true},
		{Name: "login", Value: v[1], OK: true},
		encrypted,
		{Name: "character set", Value: v[2], OK: true},
		{Name: "local_infile", Value: onOff[v[3] == "1"], OK: v[3] == "1", Remedy: "rows are inserted instead, which is slower: SET GLOBAL local_infile = ON"},
		{Name: "read_only", Value: onOff[v[4] == "1"], OK: v[4] == "0", Required: true, Remedy: "name the primary server, or SET GLOBAL read_only = OFF"},
		{Name: "max_allowed_packet", Value: v[5], OK: v[6] == "0", Remedy: fmt.Sprintf("a large text may not fit: SET GLOBAL max_allowed_packet = %d", smallPacket)},
	}
	kept, err := t.storageFacts(ctx)
	return append(facts, kept...), err
}

var onOff = map[bool]string{true: "ON", false: "OFF"}

// Grant implements database.Prober.
func (t *Target) Grant(right string) string {
	rights, on := "SELECT, INSERT, UPDATE, DELETE", "*"
	switch right {
	case "create":
		rights += ", CREATE, DROP, ALTER, INDEX, LOCK TABLES, CREATE TEMPORARY TABLES"
	case "ledger":
		on = ledger.Name
	}
	return fmt.Sprintf("GRANT %s ON %s.%s TO %s", rights, dialect.MySQL.Quote(t.database), on, t.account)
}
