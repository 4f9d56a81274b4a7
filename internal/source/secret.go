package source

import (
	"errors"
	"fmt"
	"net/url"
	"os"
	"regexp"
	"strings"
)

// The environment variables that stand for the secrets of a web address in its
// public name.
const (
	LoginVariable = "AMBERTRAY_SOURCE_LOGIN"
	TokenVariable = "AMBERTRAY_SOURCE_TOKEN"
)

// ErrSecret is returned where the secret of a web address is needed and not set.
var ErrSecret = errors.New("the secret of the address is not set")

// secretWords are parts of the names of parameters that are secrets.
var secretWords = regexp.MustCompile(`(?i)token|sig|key|secret|pass|pwd|auth|cred|session|code|sas|jwt|bearer`)

// longestPlain is how long the value of a parameter may be that is not a secret.
const longestPlain = 20

// Public returns a name as it may be shown and kept: that of a web address
// without its login and without the parameters that may be secrets, in place of
// which stand references to environment variables.
func Public(name string) string {
	if !IsWeb(name) {
		return name
	}
	scheme, rest, _ := strings.Cut(name, "://")
	place, query, hasQuery := strings.Cut(rest, "?")
	host, path, hasPath := strings.Cut(place, "/")
	i := strings.LastIndexByte(host, '@')
	if i >= 0 && host[:i] != "${"+LoginVariable+"}" {
		host = "${" + LoginVariable + "}" + host[i:]
	}
	if hasPath {
		host += "/" + path
	}
	if hasQuery {
		host += "?" + publicQuery(query)
	}
	return scheme + "://" + host
}

func publicQuery(query string) string {
	query, fragment, _ := strings.Cut(query, "#")
	parts := strings.Split(query, "&")
	for i, part := range parts {
		key, value, _ := strings.Cut(part, "=")
		if value == "" && len(key) > longestPlain { // a secret without a name
			parts[i] = "${" + TokenVariable + "}"
		} else if value != "" && (secretWords.MatchString(key) || len(value) > longestPlain) {
			parts[i] = key + "=${" + TokenVariable + "}"
		}
	}
	if fragment != "" {
		return strings.Join(parts, "&") + "#…"
	}
	return strings.Join(parts, "&")
}

// Publish returns the public names of sources, by which the opener knows them
// from now on. Addresses that differ only in their secrets get a number as
// fragment, which no server sees.
func (o *Opener) Publish(names []string) []string {
	list := make([]string, len(names))
	for i, name := range names {
		public := Public(name)
		list[i] = public
		if public == name {
			continue
		}
		if o.secret == nil {
			o.secret = map[string]string{}
		}
		for n := 2; o.secret[list[i]] != "" && o.secret[list[i]] != name; n++ {
			list[i] = fmt.Sprintf("%s#%d", public, n)
		}
		o.secret[list[i]] = name
	}
	return list
}

// address returns the web address that a public name stands for: the one that
// was published, or the one with the secrets that the environment has.
func (o *Opener) address(name string) (string, error) {
	secret, ok := o.secret[name]
	if ok {
		return secret, nil
	}
	for _, variable := range []string{LoginVariable, TokenVariable} {
		ref := "${" + variable + "}"
		if strings.Contains(name, ref) {
			val := os.Getenv(variable)
			if val == "" {
				return "", fmt.Errorf("open %s: %w: %s", name, ErrSecret, variable)
			}
			name = strings.ReplaceAll(name, ref, val)
		}
	}
	return name, nil
}

// withoutAddress returns the reason why a request failed, without the address in
// it.
func withoutAddress(err error) error {
	var failed *url.Error
	if errors.As(err, &failed) {
		return withoutAddress(failed.Err)
	}
	return err
}
