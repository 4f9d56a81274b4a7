package sqlserver

import (
	"cmp"
	"errors"
	"fmt"
	"net/url"
	"os"
	"slices"
	"strings"

	"github.com/microsoft/go-mssqldb/msdsn"

	// Kerberos is one of the ways to log in that a URL may name.
	_ "github.com/microsoft/go-mssqldb/integratedauth/krb5"

	"ambertray/internal/database"
)

// parameters are those that may stand after the question mark of a URL. The driver
// would pass over one that it does not know.
var parameters = []string{
	"database", "encrypt", "trustservercertificate", "certificate", "servercertificate", "hostnameincertificate", "tlsmin",
	"dial timeout", "connection timeout", "keepalive", "packet size", "app name", "workstation id",
	"applicationintent", "multisubnetfailover", "failoverpartner", "failoverport", "serverspn", "authenticator",
	"krb5-configfile", "krb5-realm", "krb5-keytabfile", "krb5-credcachefile", "krb5-dnslookupkdc", "krb5-udppreferencelimit",
}

// packetSize is the largest that a connection with encryption takes.
const packetSize = 16383

// parse makes the driver's configuration of a URL. All goes through TLS, with a
// certificate that must be good, unless the URL says otherwise.
func parse(address string) (config msdsn.Config, err error) {
	u, err := url.Parse(address)
	if err != nil {
		return config, database.ErrURL
	}
	q := u.Query()
	given := map[string]bool{}
	for key := range q {
		given[strings.ToLower(key)] = true
		if !slices.Contains(parameters, strings.ToLower(key)) {
			return config, fmt.Errorf("unknown parameter %q; write one of %s", key, strings.Join(parameters, ", "))
		}
	}
	if !given["encrypt"] {
		q.Set("encrypt", "true")
	}
	if !given["packet size"] {
		q.Set("packet size", fmt.Sprint(packetSize))
	}
	if !given["app name"] {
		q.Set("app name", "ambertray")
	}
	u.RawQuery = q.Encode()
	config, err = msdsn.Parse(u.String())
	if err != nil {
		return config, hideSecrets(err, u)
	}
	if config.Database == "" {
		return config, errors.New("the URL names no database: write sqlserver://USER@HOST?database=NAME")
	}
	if config.User != "" {
		config.Password = cmp.Or(config.Password, os.Getenv("SQLCMDPASSWORD"))
	}
	config.DisableRetry = true // a statement is never sent twice
	return config, nil
}

// hideSecrets keeps a password out of an error.
func hideSecrets(err error, u *url.URL) error {
	password, has := u.User.Password()
	if has && strings.Contains(err.Error(), password) {
		return database.ErrURL
	}
	return err
}
