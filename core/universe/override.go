package universe

import (
	"context"
	"slices"
	"sync"
)

// An Override is what a manifest says of every edge to a name, whatever the packages that make them ask for. Declarations of
// the application itself are not bound by it.
type Override struct {
	Demand         // As is the name; Package and Text say what serves it
	Shared  bool   // the edges get what the application declares under the name, and Text is "*"
	Written string // as the manifest has it
}

// Overridden shows of a source releases whose needs and peers ask for what overrides say.
func Overridden(s Source, overrides []Override) Source {
	if len(overrides) == 0 {
		return s
	}
	o := &overridden{Source: s, by: map[string]Override{}, seen: map[string]*Package{}}
	for _, one := range overrides {
		o.by[one.As] = one
	}
	return o
}

type overridden struct {
	Source
	by   map[string]Override
	mu   sync.Mutex
	seen map[string]*Package
}

// Unwrap returns the source whose demands are overridden.
func (o *overridden) Unwrap() Source { return o.Source }

// Package returns a package with its demands overridden.
func (o *overridden) Package(ctx context.Context, name string) (*Package, error) {
	o.mu.Lock()
	p, ok := o.seen[name]
	o.mu.Unlock()
	if ok {
		return p, nil
	}
	whole, err := o.Source.Package(ctx, name)
	if err != nil {
		return nil, err
	}
	bound := func(d Demand) bool { _, yes := o.by[d.As]; return yes }
	p = whole
	if slices.ContainsFunc(whole.Releases, func(r Release) bool {
		return slices.ContainsFunc(r.Needs, bound) || slices.ContainsFunc(r.Peers, bound)
	}) {
		releases := slices.Clone(whole.Releases)
		for i := range releases {
			r := &releases[i]
			r.Needs, r.Peers = o.change(r.Needs), o.change(r.Peers)
		}
		p = NewPackage(whole.Name, whole.Scheme, releases)
		p.Tags, p.Notes = whole.Tags, whole.Notes
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	o.seen[name] = p
	return p, nil
}

func (o *overridden) change(all []Demand) []Demand {
	all = slices.Clone(all)
	for i, d := range all {
		if by, bound := o.by[d.As]; bound {
			all[i].Package, all[i].Text, all[i].Foreign = by.Package, by.Text, by.Foreign
		}
	}
	return all
}
