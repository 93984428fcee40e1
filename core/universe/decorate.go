package universe

import (
	"context"
	"fmt"
	"sync"
)

// A Wrapper is a source that shows another one in some way.
type Wrapper interface{ Unwrap() Source }

// Changed returns a source whose packages are those of s, each put through a function once. The function may be called
// concurrently, and returns the package itself where nothing is to change.
func Changed(s Source, change func(p *Package) (*Package, error)) Source {
	return newChanged(s, change)
}

func newChanged(s Source, change func(p *Package) (*Package, error)) *changed {
	return &changed{Source: s, change: change, seen: map[string]*Package{}}
}

type changed struct {
	Source
	change func(*Package) (*Package, error)
	mu     sync.Mutex
	seen   map[string]*Package
}

// Unwrap returns the source that is changed.
func (c *changed) Unwrap() Source { return c.Source }

// Package returns a package as changed.
func (c *changed) Package(ctx context.Context, name string) (*Package, error) {
	c.mu.Lock()
	p, ok := c.seen[name]
	c.mu.Unlock()
	if ok {
		return p, nil
	}
	whole, err := c.Source.Package(ctx, name)
	if err != nil {
		return nil, err
	}
	if p, err = c.change(whole); err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if known := c.seen[name]; known != nil { // of two that asked at once both get the same
		return known, nil
	}
	c.seen[name] = p
	return p, nil
}

// Replaced returns a source that has the packages of a table, and all others from s.
func Replaced(s Source, by Table) Source { return &replaced{s, by} }

type replaced struct {
	Source
	by Table
}

// Unwrap returns the source below.
func (r *replaced) Unwrap() Source { return r.Source }

// Package returns a package.
func (r *replaced) Package(ctx context.Context, name string) (*Package, error) {
	if p := r.by[name]; p != nil {
		return p, nil
	}
	return r.Source.Package(ctx, name)
}

// Hint passes on what the table does not have.
func (r *replaced) Hint(names ...string) {
	for _, name := range names {
		if r.by[name] == nil {
			r.Source.Hint(name)
		}
	}
}

// Filter returns a source that shows only the releases for which keep is true. It sees them as
// Package.About gives them.
func Filter(s Source, keep func(name string, r *Release) bool) Source {
	return FilterFor(s, "", keep)
}

// FilterFor is Filter with the reason why releases are hidden, for Hidden.
func FilterFor(s Source, reason string, keep func(name string, r *Release) bool) Source {
	return &filtered{newChanged(s, func(p *Package) (*Package, error) {
		return p.Only(func(i int) bool { return keep(p.Name, p.About(i)) }), nil
	}), reason}
}

type filtered struct {
	*changed
	reason string
}

// Hidden counts, for every reason given to FilterFor on the way down from a source, the releases of
// a package that it hides. It gives sentences such as "2 of 7 releases are younger than 14 days".
func Hidden(ctx context.Context, s Source, name string) (says []string, err error) {
	for {
		if f, ok := s.(*filtered); ok && f.reason != "" {
			whole, err := f.Source.Package(ctx, name)
			if err != nil {
				return says, err
			}
			shown, err := f.Package(ctx, name)
			if err != nil {
				return says, err
			}
			if n := whole.Len() - shown.Len(); n > 0 {
				says = append(says, fmt.Sprintf("%d of %d releases of %s %s", n, whole.Len(), name, f.reason))
			}
		}
		w, ok := s.(Wrapper)
		if !ok {
			return says, nil
		}
		s = w.Unwrap()
	}
}

// Dated is a source that can give the publication times of a package which it gave without, at the
// cost of another request.
type Dated interface {
	Dated(ctx context.Context, name string) (*Package, error)
}

// WithDates returns a package with its publication times, as far as the sources below s can give any.
func WithDates(ctx context.Context, s Source, name string) (*Package, error) {
	for {
		if d, ok := s.(Dated); ok {
			return d.Dated(ctx, name)
		}
		w, ok := s.(Wrapper)
		if !ok {
			return s.Package(ctx, name)
		}
		s = w.Unwrap()
	}
}
