package registry

import (
	"path"
	"strings"
	"sync/atomic"
)

// Registries are those that an application has its packages from: one for each name. What one of
// them is for is never asked of another.
type Registries struct {
	usual   *Client
	some    []some
	through atomic.Pointer[Progress]
}

type some struct {
	pattern string
	client  *Client
}

// Only returns the registry that has all packages.
func Only(c *Client) *Registries { return &Registries{usual: c} }

// Add gives some packages a registry of their own: those of a scope ("@skerry"), or those whose
// names match a pattern of package path, in which a star stands for any letters but a slash. Of
// several patterns the longest decides.
func (r *Registries) Add(pattern string, c *Client) {
	r.some = append(r.some, some{pattern, c})
}

// For returns the registry of a package; nil where there is none.
func (r *Registries) For(name string) *Client {
	found, length := r.usual, -1
	for _, s := range r.some {
		if Matches(s.pattern, name) && len(s.pattern) > length {
			found, length = s.client, len(s.pattern)
		}
	}
	return found
}

// Matches reports whether a pattern is about a package.
func Matches(pattern, name string) bool {
	if scope, rest, scoped := strings.Cut(name, "/"); scoped && rest != "" && pattern == scope {
		return true
	}
	fits, err := path.Match(pattern, name)
	return err == nil && fits
}

// All returns every registry, the one for all other packages first.
func (r *Registries) All() []*Client {
	var all []*Client
	if r.usual != nil {
		all = append(all, r.usual)
	}
	for _, s := range r.some {
		all = append(all, s.client)
	}
	return all
}

// Close closes all of them.
func (r *Registries) Close() {
	for _, c := range r.All() {
		c.Close()
	}
}
