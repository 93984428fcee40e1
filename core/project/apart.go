package project

import (
	"slices"

	"molt/core/solve"
	"molt/core/universe"
)

// Members of a workspace stand apart with the declarations that say so. Which others have to stand
// apart with them is a matter of what is chosen: a package that looks up, as a peer, a name which
// its member has apart is to find the member's release, and not the application's.

// TryApart solves declarations until that is so, with ever more of them apart. Where it does not
// resolve, all that nobody but a member that stands apart declares stands apart with it, but for
// the frameworks; the error is then that of the first attempt. The roots of the result have the
// names that the declarations have.
func (app Application) TryApart(
	declared []Declared, solved func([]Declared) (*solve.Resolution, error)) (*solve.Resolution, error) {
	all := slices.Clone(declared)
	r, first := solved(all)
	if !slices.ContainsFunc(all, func(d Declared) bool { return d.Apart != "" }) {
		return r, first
	}
	for err := first; ; {
		more := false
		switch {
		case err == nil:
			more = apartAsSeen(all, r)
		case solve.AsTangle(err) != nil:
			more = apartAll(all, app.Frameworks)
		}
		switch {
		case !more && err != nil && first != nil:
			return nil, first
		case !more && err != nil:
			return nil, err
		case !more:
			return named(r, declared), nil
		}
		r, err = solved(all)
	}
}

// setApart has a declaration stand apart with its member.
func (d *Declared) setApart(member string) {
	d.Apart, d.Own, d.As = member, d.As, universe.Name{Package: d.As, In: member}.String()
}

// named gives the roots of a resolution the names that declarations have.
func named(r *solve.Resolution, declared []Declared) *solve.Resolution {
	out := *r
	out.Roots = slices.Clone(r.Roots)
	for i := range out.Roots {
		e := &out.Roots[i]
		if k := slices.IndexFunc(declared,
			func(d Declared) bool { return d.Group == e.Group && OwnName(d.As) == OwnName(e.Name) }); k >= 0 {
			e.Name = declared[k].As
		}
	}
	return &out
}

// apartAsSeen has stand apart, with the members that do, what looks up in a resolution a name
// that the member has apart. It reports whether there was more to do.
func apartAsSeen(declared []Declared, r *solve.Resolution) (more bool) {
	own := map[string]map[string]bool{} // names that members have apart
	for _, d := range declared {
		if d.Apart != "" {
			if own[d.Apart] == nil {
				own[d.Apart] = map[string]bool{}
			}
			own[d.Apart][d.Own] = true
		}
	}
	looked := lookups(r)
	for i := range declared {
		d := &declared[i]
		member := GroupOf(d.Group).Member
		if d.Apart != "" || d.Foreign || own[member] == nil {
			continue
		}
		k := slices.IndexFunc(r.Roots, func(e solve.Edge) bool { return e.Group == d.Group && e.Name == d.As })
		if k < 0 {
			continue
		}
		for name := range looked[r.Roots[k].To] {
			if own[member][name] && name != d.As {
				d.setApart(member)
				more = true
				break
			}
		}
	}
	return more
}

// apartAll has everything stand apart with the members that do which nobody else declares, but
// for some names. It reports whether there was more to do.
func apartAll(declared []Declared, but []string) (more bool) {
	places := map[string][]string{}
	apart := map[string]bool{}
	for _, d := range declared {
		member := GroupOf(d.Group).Member
		if name := OwnName(d.As); !slices.Contains(places[name], member) {
			places[name] = append(places[name], member)
		}
		apart[d.Apart] = true
	}
	for i := range declared {
		d := &declared[i]
		member := GroupOf(d.Group).Member
		if member != "" && d.Apart == "" && !d.Foreign && apart[member] && len(places[d.As]) == 1 &&
			!slices.Contains(but, d.As) {
			d.setApart(member)
			more = true
		}
	}
	return more
}

// lookups lists by ID the names that each node and what it needs look up above it.
func lookups(r *solve.Resolution) map[string]map[string]bool {
	all := map[string]map[string]bool{}
	for grew := true; grew; {
		grew = false
		for i := range r.Packages {
			n := &r.Packages[i]
			note := func(name string) {
				if all[n.ID] == nil {
					all[n.ID] = map[string]bool{}
				}
				grew = grew || !all[n.ID][name]
				all[n.ID][name] = true
			}
			for _, e := range n.Peers {
				note(e.Name)
			}
			for _, e := range n.Needs {
				for name := range all[e.To] {
					if !slices.ContainsFunc(n.Needs, func(own solve.Edge) bool { return own.Name == name && own.To != "" }) {
						note(name)
					}
				}
			}
		}
	}
	return all
}

// Sees reports whether the members of a workspace that stand apart have everything apart that looks
// up, in a resolution, what they have apart.
func Sees(declared []Declared, r *solve.Resolution) bool {
	return !apartAsSeen(slices.Clone(declared), r)
}
