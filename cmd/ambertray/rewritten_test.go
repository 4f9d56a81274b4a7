package main_test

import (
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestRewritten loads, in each way, into a table with a trigger that changes a row. It is found
// and named by its key, line and column, and nothing of the load stays.
func TestRewritten(t *testing.T) {
	triggers := map[string][]string{
		"sqlite": {"CREATE TRIGGER TABLE_i AFTER INSERT ON TABLE WHEN new.no = 3 BEGIN UPDATE TABLE SET name = upper(name) WHERE no = 3; END",
			"CREATE TRIGGER TABLE_u AFTER UPDATE ON TABLE WHEN new.no = 3 BEGIN UPDATE TABLE SET name = upper(name) WHERE no = 3; END"},
		"postgres": {"CREATE FUNCTION TABLE_f() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN IF NEW.no = 3 THEN NEW.name := upper(NEW.name); END IF; RETURN NEW; END $$",
			"CREATE TRIGGER TABLE_i BEFORE INSERT OR UPDATE ON TABLE FOR EACH ROW EXECUTE FUNCTION TABLE_f()"},
		"mysql": {"CREATE TRIGGER TABLE_i BEFORE INSERT ON TABLE FOR EACH ROW SET NEW.name = IF(NEW.no = 3, upper(NEW.name), NEW.name)",
			"CREATE TRIGGER TABLE_u BEFORE UPDATE ON TABLE FOR EACH ROW SET NEW.name = IF(NEW.no = 3, upper(NEW.name), NEW.name)"},
		"sqlserver": {"CREATE TRIGGER TABLE_i ON TABLE AFTER INSERT AS UPDATE v SET name = upper(v.name) FROM TABLE AS v JOIN inserted AS i ON i.no = v.no WHERE v.no = 3"},
	}
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.write("first.csv", "no,name\n1,ant\n2,bee\n")
		d.write("next.csv", "no,name\n2,bear\n3,cat\n4,dog\n")
		d.write("others.csv", "no,name\n3,cat\n4,dog\n")
		d.run(0, "load", "first.csv", "--to", to, "--table", table)
		for _, s := range triggers[name] {
			on(t, to, strings.ReplaceAll(s, "TABLE", table))
		}
		named := func(how string, r map[string]any) {
			found := r["rows_differ"].(map[string]any)
			require.Equal(t, []any{0.0, 0.0, 1.0}, []any{found["missing"], found["extra"], found["changed"]}, how)
			first := found["first"].([]any)[0].(map[string]any)
			require.Equal(t, []any{"3", "name", "'cat'", "'CAT'"}, []any{first["key"], first["column"], first["in_source"], first["in_table"]}, how)
		}
		for _, how := range []string{"others.csv --existing append", "others.csv --existing append --commit-every 1000", "next.csv --existing merge", "next.csv --existing empty --yes"} {
			named(how, d.json(4, append([]string{"load", "first.tray", "--to", to}, strings.Fields(how)...)...))
			d.run(0, "verify", "first.tray", "--to", to, "--whole")
		}
		tried := d.json(4, "check", "first.tray", "others.csv", "--to", to, "--existing", "append", "--by-loading")
		named("check --by-loading", tried["by_loading"].(map[string]any))
		d.write("bad.csv", "no,name\nx,cat\n4,dog\n")
		id := d.json(3, "load", "first.tray", "bad.csv", "--to", to, "--existing", "append")["load"].(string)
		rejects := filepath.Join("first.tray", "loads", id, "rejects.csv")
		d.write(rejects, strings.ReplaceAll(d.read(rejects), ",x,cat", ",3,cat"))
		named("mend", d.json(4, "mend", "first.tray", "--to", to))
		require.Contains(t, d.read(rejects), "3,cat", "it is still to be mended")
	})
}
