package registry

import (
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"

	"github.com/jdx/go-netrc"

	"molt/input"
)

// A Credential is how a registry knows who asks: a bearer token (RFC 6750), or a name and a
// password (RFC 7617). The zero Credential is none. It is never printed, logged or kept in the
// cache.
type Credential struct{ token, user, password string }

// Bearer returns a credential of a token; "" is none.
func Bearer(token string) Credential { return Credential{token: token} }

// None reports whether there is nothing to send.
func (c Credential) None() bool { return c == Credential{} }

// String keeps secrets out of messages.
func (c Credential) String() string { return "credential" }

func (c Credential) apply(r *http.Request) {
	switch {
	case c.token != "":
		r.Header.Set("Authorization", "Bearer "+c.token)
	case c.user != "" || c.password != "":
		r.SetBasicAuth(c.user, c.password)
	}
}

// FromNetrc returns what the user's netrc file (NETRC, else .netrc in the home folder; _netrc on
// Windows) has for the host of an address. A line for host:port is for that port only; one for a
// host without a port is for the usual port of https and http. No file is no credential. The file
// is the one that was looked at or would be, and machine what stands there for the host.
func FromNetrc(env func(string) string, address string) (c Credential, file, machine string, err error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return Credential{}, "", "", nil
	}
	machine = u.Host
	if file = env("NETRC"); file == "" {
		home, err := os.UserHomeDir()
		if err != nil {
			return Credential{}, "a netrc file", machine, nil
		}
		file = filepath.Join(home, ".netrc")
		if other := filepath.Join(home, "_netrc"); exists(other) && !exists(file) {
			file = other
		}
	}
	data, err := input.ReadFile(file, input.VersionFile)
	if errors.Is(err, fs.ErrNotExist) {
		return Credential{}, file, machine, nil
	}
	if err != nil {
		return Credential{}, file, machine, err
	}
	n, err := netrc.ParseString(string(data))
	if err != nil {
		// its text stays out of messages
		return Credential{}, file, machine, fmt.Errorf("%s cannot be read as a netrc file", file)
	}
	names := []string{net.JoinHostPort(u.Hostname(), portOf(u))}
	if u.Port() == "" || u.Port() == usualPort[u.Scheme] {
		names = append(names, u.Hostname())
	}
	for _, name := range names {
		if m := n.Machine(name); m != nil {
			return Credential{user: m.Get("login"), password: m.Get("password")}, file, name, nil
		}
	}
	return Credential{}, file, machine, nil
}

func exists(file string) bool {
	_, err := os.Stat(file)
	return err == nil
}

var usualPort = map[string]string{"http": "80", "https": "443"}

func portOf(u *url.URL) string {
	if p := u.Port(); p != "" {
		return p
	}
	return usualPort[u.Scheme]
}

// sameOrigin reports whether two addresses have one scheme, host and port (RFC 6454).
func sameOrigin(a, b *url.URL) bool {
	return a.Scheme == b.Scheme && strings.EqualFold(a.Hostname(), b.Hostname()) && portOf(a) == portOf(b)
}

// An authorizer adds the credential to requests to exactly the origin that it is for, below a path,
// wherever a redirect leads. Others may answer below other paths of one origin.
type authorizer struct {
	origin     *url.URL
	below      string // the path, without a slash at its end; "" for all
	credential Credential
	next       http.RoundTripper
}

// RoundTrip sends a request, with the credential where it belongs.
func (a *authorizer) RoundTrip(r *http.Request) (*http.Response, error) {
	if a.credential.None() || !sameOrigin(a.origin, r.URL) || !below(r.URL, a.below) {
		return a.next.RoundTrip(r)
	}
	r = r.Clone(r.Context())
	a.credential.apply(r)
	return a.next.RoundTrip(r)
}

// below reports whether an address is a path or below it. One with steps upwards, in whatever
// spelling, is below nothing.
func below(u *url.URL, prefix string) bool {
	if prefix == "" {
		return true
	}
	for part := range strings.SplitSeq(u.Path, "/") {
		if part == "." || part == ".." || strings.ContainsAny(part, "\\%") {
			return false
		}
	}
	return u.Path == prefix || strings.HasPrefix(u.Path, prefix+"/")
}

// Plain reports whether what is sent to an address can be read on the way: it is plain HTTP, and not to this machine.
func Plain(address string) bool {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "http" {
		return false
	}
	ip := net.ParseIP(u.Hostname())
	return u.Hostname() != "localhost" && (ip == nil || !ip.IsLoopback())
}
