package main_test

import (
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/creack/pty"
	"github.com/stretchr/testify/require"

	"ambertray/internal/connect"
)

// on runs statements on a target as its administrator.
func on(t *testing.T, url string, statements ...string) {
	t.Helper()
	require.NoError(t, try(t, url, statements...))
}

// try is on for statements of which one may fail.
func try(t *testing.T, url string, statements ...string) error {
	t.Helper()
	to, err := connect.Open(context.Background(), url, connect.Options{})
	require.NoError(t, err)
	defer to.Close()
	for _, s := range statements {
		_, err := to.Exec(context.Background(), s)
		if err != nil {
			return fmt.Errorf("%s: %w", s, err)
		}
	}
	return nil
}

// facts returns what targets test finds.
func (d *desk) facts(status int, target string) map[string]map[string]any {
	d.Helper()
	found := map[string]map[string]any{}
	for _, f := range d.json(status, "targets", "test", target)["facts"].([]any) {
		fact := f.(map[string]any)
		found[fact["name"].(string)] = fact
	}
	return found
}

// TestTargets names targets in the config file, and says what a login lacks.
func TestTargets(t *testing.T) {
	d := newDesk(t)
	t.Setenv("XDG_CONFIG_HOME", d.dir)
	out, _ := d.run(0, "targets")
	require.Contains(t, out, "It names no target yet")
	config := "museum: museum.db\nsecret: mysql://curator:amber@db/museum\n"
	d.write("ambertray/targets.yaml", config)
	_, errOut := d.run(1, "targets")
	require.Contains(t, errOut, "targets.yaml:2: target secret: the URL contains a password")
	require.NotContains(t, errOut, "amber@")
	all := targets(t)
	own := map[string]string{} // databases in which no other test has tables
	for _, name := range []string{"postgres", "mysql"} {
		database := uniqueTable(t)
		on(t, all[name], "CREATE DATABASE "+database)
		t.Cleanup(func() { on(t, all[name], "DROP DATABASE "+database) })
		own[name] = inDatabase(all[name], database)
	}
	d.write("ambertray/targets.yaml", "museum: museum.db\npg: "+own["postgres"]+"\nmaria: "+own["mysql"]+"\n")
	require.Len(t, d.json(0, "targets")["targets"], 3)
	d.run(0, "load", "specimens.csv", "--to", "museum")
	d.run(0, "history", "--to", "museum")
	require.FileExists(t, filepath.Join(d.dir, "museum.db"))
	_, errOut = d.run(2, "history", "--to", "nowhere")
	require.Contains(t, errOut, `unknown target "nowhere"`)
	require.Contains(t, errOut, "museum, pg, maria")

	for _, name := range []string{"museum", "pg", "maria", "new.db"} {
		for what, fact := range d.facts(0, name) {
			require.True(t, fact["ok"].(bool), "%s: %s", name, what)
		}
	}
	require.NoFileExists(t, filepath.Join(d.dir, "new.db"))

	// Logins that may not do everything.
	on(t, own["postgres"], "DROP ROLE IF EXISTS visitor", "CREATE ROLE visitor LOGIN", "ALTER ROLE visitor SET statement_timeout = '5min'", "REVOKE CREATE ON SCHEMA public FROM PUBLIC",
		// A schema that the login may not use, with a table of another server.
		"CREATE EXTENSION postgres_fdw", "CREATE SERVER far FOREIGN DATA WRAPPER postgres_fdw", "CREATE SCHEMA hidden", "CREATE FOREIGN TABLE hidden.far (no integer) SERVER far")
	found := d.facts(1, strings.Replace(own["postgres"], "curator@", "visitor@", 1))
	require.Contains(t, found["create a table"]["remedy"], "GRANT CREATE, USAGE ON SCHEMA public TO visitor")
	require.Contains(t, found["statement_timeout"]["remedy"], "ALTER ROLE visitor SET statement_timeout = 0")
	on(t, own["postgres"], "CREATE TABLE lent (no integer)", "INSERT INTO lent VALUES (1), (2)", "GRANT SELECT, INSERT, DELETE ON lent TO visitor")
	d.write("lent.csv", "no\n3\n")
	d.run(0, "load", "lent.csv", "--to", strings.Replace(own["postgres"], "curator@", "visitor@", 1), "--existing", "empty", "--no-ledger")
	d.run(0, "verify", "lent.tray", "--to", own["postgres"], "--whole")
	for _, name := range []string{"pg", "maria"} { // with a ledger
		d.run(0, "load", "specimens.csv", "--to", name)
		require.Equal(t, true, d.facts(0, name)["keep the ledger"]["ok"])
	}
	on(t, own["postgres"], "GRANT CREATE ON SCHEMA public TO visitor", "GRANT SELECT, INSERT, UPDATE ON ambertray_ledger TO visitor")
	found = d.facts(1, strings.Replace(own["postgres"], "curator@", "visitor@", 1))
	require.Equal(t, "GRANT SELECT, INSERT, UPDATE, DELETE ON ambertray_ledger TO visitor", found["keep the ledger"]["remedy"], "it may not delete")
	on(t, all["mysql"], "DROP USER IF EXISTS visitor", "CREATE USER visitor", "GRANT SELECT ON museum.* TO visitor")
	found = d.facts(1, strings.Replace(all["mysql"], "root@", "visitor@", 1))
	require.Contains(t, found["create a table"]["remedy"], "GRANT SELECT, INSERT, UPDATE, DELETE, CREATE")
}

// TestEncrypted connects with the certificate of the server's authority, and
// with no other.
func TestEncrypted(t *testing.T) {
	d, all := newDesk(t), targets(t)
	for _, c := range []struct{ url, version string }{
		{all["postgres"] + "?sslmode=verify-full&sslrootcert=" + os.Getenv("AMBERTRAY_TEST_POSTGRES_CA"), "TLSv1."},
		{all["mysql"] + "?tls_ca=" + os.Getenv("AMBERTRAY_TEST_MYSQL_CA"), "TLSv1."},
		{all["mysql"] + "?tls=skip-verify", "TLSv1."}, {all["mysql"], "no"}, {all["postgres"] + "?sslmode=disable", "no"},
	} {
		require.Contains(t, d.facts(0, c.url)["encrypted"]["value"], c.version, c.url)
	}
	for _, url := range []string{all["mysql"] + "?tls=true", all["postgres"] + "?sslmode=verify-full", all["mysql"] + "?tls_ca=none.pem"} {
		_, errOut := d.run(1, "history", "--to", url)
		require.Regexp(t, "(?s)certificate is not trusted.*accept any certificate|none.pem", errOut)
	}
	_, errOut := d.run(1, "history", "--to", all["mysql"]+"?tls=1")
	require.Contains(t, errOut, "tls=1: write true, false, or skip-verify")
}

// TestPassword finds it where the server's clients do, or asks for it, and shows
// it nowhere.
func TestPassword(t *testing.T) {
	d, root := newDesk(t), targets(t)["mysql"]
	on(t, root, "DROP USER IF EXISTS keeper", "CREATE USER keeper IDENTIFIED BY 'resin5'", "GRANT ALL ON museum.* TO keeper")
	keeper := strings.Replace(root, "root@", "keeper@", 1)
	_, errOut := d.run(1, "history", "--to", keeper)
	require.Contains(t, errOut, "login refused")
	try := func(env ...string) {
		c := d.command("history", "--to", keeper)
		c.Env = append(os.Environ(), env...)
		out, err := c.CombinedOutput()
		require.NoError(t, err, string(out))
	}
	try("MYSQL_PWD=resin5")
	d.write("home/.my.cnf", "[mysqld]\nskip-networking\n[client]\npassword=resin5\n")
	try("HOME=" + filepath.Join(d.dir, "home"))

	for typed, want := range map[string]string{"resin5": "in the ledger", "wrong": "login refused"} {
		c := exec.Command(program, "history", "--to", keeper)
		c.Env = append(os.Environ(), "HOME="+d.dir)
		terminal, err := pty.Start(c)
		require.NoError(t, err)
		seen := ""
		for buffer := make([]byte, 1000); !strings.Contains(seen, "\npassword: "); {
			n, err := terminal.Read(buffer)
			require.NoError(t, err)
			seen += string(buffer[:n])
		}
		_, err = io.WriteString(terminal, typed+"\n")
		require.NoError(t, err)
		rest, _ := io.ReadAll(terminal) // which ends with an error when the program does
		_ = c.Wait()
		require.Contains(t, string(rest), want)
		require.NotContains(t, seen+string(rest), typed)
	}
}

// TestSQLServerCheck runs the check that a person runs on a real SQL Server.
func TestSQLServerCheck(t *testing.T) {
	to := targets(t)["sqlserver"]
	name := uniqueTable(t)
	check := exec.Command(filepath.Join("..", "..", "docs", "sqlserver-check.sh"), inDatabase(to, name))
	check.Env = append(os.Environ(), "AMBERTRAY="+program)
	out, err := check.CombinedOutput()
	require.NoError(t, err, string(out))
	require.Equal(t, "All is as expected. The database "+name+" may be dropped.\n", string(out))
	on(t, to, "DROP DATABASE "+name)
}

// TestCharacters chooses between the types of texts in SQL Server by the characters of a
// column, and keeps none that its type lacks.
func TestCharacters(t *testing.T) {
	d, to, table := newDesk(t), targets(t)["sqlserver"], uniqueTable(t)
	d.write("finds.csv", "no,plain,western,any,beyond,code\n1,ant,Müller,жук,🪲🪲🪲🪲🪲🪲🪲🪲🪲🪲,ab\n2,bee,Søn,ant,x,cd\n")
	d.run(0, "draft", "finds.csv", "--table", table, "--fit", "snug")
	tray := d.read("finds.tray/tray.yaml")
	require.Equal(t, 1, strings.Count(tray, "characters: latin1"))
	require.Equal(t, 2, strings.Count(tray, "characters: unicode"))
	out, _ := d.run(0, "ddl", "finds.tray", "--to", to)
	for _, want := range []string{"plain    varchar(3) ", "western  varchar(6) ", "[any]    nvarchar(3) ", "beyond   nvarchar(20) ", "code     varchar(2) "} {
		require.Contains(t, out, want)
	}
	out, _ = d.run(0, "ddl", "finds.tray", "--dialect", "sqlserver")
	require.Contains(t, out, "nvarchar(6)", "the code page is not known")
	d.run(0, "load", "finds.tray", "--to", to)
	d.write("more.csv", "no,plain,western,any,beyond,code\n3,жук,ant,x,x,ab\n4,ant,ant,x,🪲🪲🪲🪲🪲🪲🪲🪲🪲🪲🪲,ab\n5,ant,€,x,y,ab\n")
	r := d.json(3, "load", "finds.tray", "more.csv", "--to", to)
	require.Equal(t, 1.0, r["counts"].(map[string]any)["loaded"])
	rejects := d.read("finds.tray/loads/0002/rejects.csv")
	require.Contains(t, rejects, "a character that the code page 1252 of")
	require.Contains(t, rejects, "where a character beyond U+FFFF counts as two")
	d.run(0, "draft", "finds.csv", "--tray", "again.tray", "--table", table+"_b", "--change", "plain.characters=unicode")
	out, _ = d.run(0, "ddl", "again.tray", "--dialect", "sqlserver")
	require.Regexp(t, `plain +n(var)?char\(`, out)
	_, errOut := d.run(2, "check", "again.tray", "--change", "plain.characters=unicod")
	require.Contains(t, errOut, `characters "unicod": write one of ascii, latin1, unicode`)
	_, errOut = d.run(2, "check", "again.tray", "--change", "no.characters=ascii")
	require.Contains(t, errOut, "only texts have characters, not")
}
