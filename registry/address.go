package registry

import (
	"fmt"
	"net/url"
	"strings"
)

// ParseAddress reads the address of a registry, without a final slash. The error never repeats a password.
func ParseAddress(text string) (*url.URL, error) {
	u, err := url.Parse(text)
	if err != nil {
		// the text may hold a password
		return nil, fmt.Errorf("registry address: expected one that begins with http://, https:// or file://")
	}
	switch {
	case u.User != nil:
		u.User = nil
		return nil, fmt.Errorf("registry address %s: it holds a user or a password, which would end up in messages and "+
			"files; put them into a netrc file, or a token into MOLT_TOKEN_<ECOSYSTEM>", u)
	case u.Scheme != "http" && u.Scheme != "https" && u.Scheme != "file":
		return nil, fmt.Errorf("registry address %q: expected one that begins with http://, https:// or file://", text)
	case u.Scheme != "file" && u.Host == "":
		return nil, fmt.Errorf("registry address %q: it names no host", text)
	case u.RawQuery != "" || u.Fragment != "":
		return nil, fmt.Errorf("registry address %s: expected one without ? and #", u.Redacted())
	}
	u.Path, u.RawPath = strings.TrimSuffix(u.Path, "/"), strings.TrimSuffix(u.RawPath, "/")
	return u, nil
}
