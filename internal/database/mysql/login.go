package mysql

import (
	"cmp"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"maps"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
	"gopkg.in/ini.v1"

	"ambertray/internal/database"
)

// parse makes the driver's configuration of a URL.
func parse(address string) (*mysql.Config, error) {
	u, err := url.Parse(address)
	if err != nil {
		return nil, database.ErrURL
	}
	file := optionFile()
	c := mysql.NewConfig()
	c.Net, c.DBName = "tcp", strings.TrimPrefix(u.Path, "/")
	c.User = cmp.Or(u.User.Username(), file("user"), os.Getenv("USER"))
	c.Passwd, _ = u.User.Password()
	c.Passwd = cmp.Or(c.Passwd, os.Getenv("MYSQL_PWD"), file("password"))
	host, port := u.Hostname(), u.Port()
	socket := u.Query().Get("socket")
	if host == "" && os.Getenv("MYSQL_HOST") == "" {
		socket = cmp.Or(socket, os.Getenv("MYSQL_UNIX_PORT"), file("socket"))
	}
	c.Addr = net.JoinHostPort(cmp.Or(host, os.Getenv("MYSQL_HOST"), file("host"), "127.0.0.1"), cmp.Or(port, os.Getenv("MYSQL_TCP_PORT"), file("port"), "3306"))
	if socket != "" {
		c.Net, c.Addr = "unix", socket
	}
	err = parameters(c, u)
	if err != nil {
		return nil, err
	}
	if c.DBName == "" {
		return nil, errors.New("the URL names no database: write mysql://USER@HOST/DATABASE")
	}
	c.Collation, c.Timeout, c.Logger = "utf8mb4_bin", 30*time.Second, silent{}
	c.Params = maps.Clone(settings)
	c.DialFunc = database.Dialer().DialContext
	c.InterpolateParams = true // one round trip for each query instead of two
	return c, nil
}

// settings are those that a session would take from the server otherwise. The limits are on the rows
// of a query and of a group, without a word where there are more, and on the bytes that a sort compares.
// The timeouts are those of a session that waits for us while we read a source or somebody reads an export.
var settings = map[string]string{
	"sql_mode": "'STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION'", "time_zone": "'+00:00'", "autocommit": "1", "completion_type": "0",
	"sql_select_limit": "18446744073709551615", "group_concat_max_len": "1048576", "sql_safe_updates": "0", "sql_auto_is_null": "0",
	"foreign_key_checks": "1", "unique_checks": "1", "sql_big_selects": "1", "max_sort_length": "1024", "sql_quote_show_create": "1",
	"wait_timeout": "86400", "net_read_timeout": "300", "net_write_timeout": "3600",
}

// parameters reads what stands after the question mark of a URL.
func parameters(c *mysql.Config, u *url.URL) error {
	q := u.Query()
	for key := range q {
		switch key {
		case "socket", "tls_ca", "tls_cert", "tls_key":
		case "tls":
			c.TLSConfig = q.Get(key)
			if !slices.Contains([]string{"true", "false", "skip-verify"}, c.TLSConfig) {
				return fmt.Errorf("tls=%s: write true, false, or skip-verify to encrypt without a check of the server's certificate", c.TLSConfig)
			}
		default:
			return fmt.Errorf("unknown parameter %q; write one of socket, tls, tls_ca, tls_cert and tls_key", key)
		}
	}
	if !q.Has("tls_ca") && !q.Has("tls_cert") {
		if c.TLSConfig == "" && !isLocal(c) {
			c.TLSConfig = "preferred" // encrypts if the server can, as its own client does
		}
		return nil
	}
	c.TLS = &tls.Config{ServerName: u.Hostname()}
	name := q.Get("tls_ca")
	if name != "" {
		text, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		c.TLS.RootCAs = x509.NewCertPool()
		if !c.TLS.RootCAs.AppendCertsFromPEM(text) {
			return fmt.Errorf("file %s contains no certificate", name)
		}
	}
	name = q.Get("tls_cert")
	if name != "" {
		pair, err := tls.LoadX509KeyPair(name, q.Get("tls_key"))
		if err != nil {
			return err
		}
		c.TLS.Certificates = []tls.Certificate{pair}
	}
	return nil
}

// isLocal reports whether the server is on this machine.
func isLocal(c *mysql.Config) bool {
	return c.Net == "unix" || slices.Contains([]string{"localhost", "127.0.0.1", "::1"}, hostOf(c.Addr))
}

// optionFile returns what looks up a setting for clients in the server's
// customary option file, which is in the home folder.
func optionFile() func(key string) string {
	home, err := os.UserHomeDir()
	if err != nil {
		return func(string) string { return "" }
	}
	options, err := ini.LoadSources(ini.LoadOptions{AllowBooleanKeys: true, SkipUnrecognizableLines: true}, filepath.Join(home, ".my.cnf"))
	if err != nil {
		return func(string) string { return "" }
	}
	return func(key string) string { return options.Section("client").Key(key).String() }
}
