package history

import (
	"maps"
	"slices"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// usesOf lists the packages of which a release uses names, in their order.
func (r *release) usesOf() []string { return slices.Sorted(maps.Keys(r.uses)) }

// A Break is a name that a release uses and that what it sees does not offer.
type Break struct {
	By, Of string // names of packages
	Sees   string // the version of what it sees, "" for nothing
	Told   bool   // what is published tells that
}

// told reports whether what is published tells that a release does not go with one that it sees:
// its range has no end, its package speaks of the other one, and it was made before the major of
// that, or the range of a later one begins there and not before; or it describes the other one, and
// its package has a release for that major.
func (h *History) told(by *solve.Node, b Break) bool {
	p, other := h.byName[b.By], h.byName[b.Of]
	user, sees := h.release(b.By, by.Version), h.release(b.Of, b.Sees)
	if user == nil || sees == nil {
		return false
	}
	published := func(do func(*release) bool) bool {
		return slices.ContainsFunc(p.releases, func(r *release) bool { return r.day <= h.now && do(r) })
	}
	if p.kind == types {
		return user.major != sees.major && published(func(r *release) bool { return r.major == sees.major })
	}
	on := func(d universe.Demand) bool { return d.As == b.Of }
	demands, begins := slices.Concat(user.needs, user.peers), 0
	if i := slices.IndexFunc(demands, on); i >= 0 {
		if c, err := h.Dialect.Scheme.Constrain(demands[i].Text); err != nil || c.Bounded() {
			return false
		}
		begins = h.from(demands[i])
	}
	return published(func(r *release) bool {
		all := slices.Concat(r.needs, r.peers)
		i := slices.IndexFunc(all, on)
		return i >= 0 && (user.day < other.firstOf(sees.major) || r.after(user) && begins < sees.major &&
			h.from(all[i]) == sees.major)
	})
}

// from returns the major that a demand begins at.
func (h *History) from(d universe.Demand) int {
	set, err := h.Universe[d.Package].Admit(d.Text)
	if err != nil || set.Empty() {
		return 0
	}
	if r := h.release(d.Package, h.Universe[d.Package].Version(set.Min()).String()); r != nil {
		return r.major
	}
	return 0
}

// Breaks returns why a resolution does not run, one for each pair of packages; nil where it runs.
func (h *History) Breaks(r *solve.Resolution) (all []Break) {
	nodes := map[string]*solve.Node{}
	byName := map[string]*solve.Node{}
	for i := range r.Packages {
		n := &r.Packages[i]
		nodes[n.ID] = n
		byName[n.Name] = n // of what nobody asks for, any there is
	}
	top := map[string]*solve.Node{}
	for _, e := range r.Roots {
		top[e.Name] = nodes[e.To]
	}
	for i := range r.Packages {
		n := &r.Packages[i]
		one := h.releaseOf(n)
		if one == nil {
			continue
		}
		for _, of := range one.usesOf() {
			names := one.uses[of]
			sees := seen(n, of, nodes)
			if sees == nil {
				sees = top[of]
			}
			if sees == nil {
				sees = byName[of]
			}
			switch {
			case sees == nil:
				all = append(all, Break{By: n.Name, Of: of})
			case !h.releaseOf(sees).has(names):
				b := Break{By: n.Name, Of: of, Sees: sees.Version}
				b.Told = h.told(n, b)
				all = append(all, b)
			}
		}
	}
	return all
}

func seen(n *solve.Node, of string, byID map[string]*solve.Node) *solve.Node {
	for _, edges := range [][]solve.Edge{n.Needs, n.Peers} {
		for _, e := range edges {
			if e.Name == of {
				return byID[e.To]
			}
		}
	}
	return nil
}

func (h *History) releaseOf(n *solve.Node) *release { return h.release(n.Name, n.Version) }

func (h *History) release(name, written string) *release {
	p := h.byName[name]
	if p == nil {
		return nil
	}
	for _, r := range p.releases {
		if r.text() == written {
			return r
		}
	}
	return nil
}

// Fits reports whether a release has all that it uses of another package in a release of that.
func (h *History) Fits(name, written, of, at string) bool {
	r, other := h.release(name, written), h.release(of, at)
	return r == nil || other == nil || other.has(r.uses[of])
}

// Truth returns the universe in which every release states exactly what it runs with.
func (h *History) Truth() universe.Table {
	return h.running(func(*pkg, *release, string) version.Set { return version.Set{} })
}

// Admitted returns the universe in which every release states what it runs with of what it admits.
func (h *History) Admitted() universe.Table {
	return h.running(func(p *pkg, r *release, of string) version.Set {
		one := h.Universe[p.name].Release(r.text())
		for _, d := range slices.Concat(one.Needs, one.Peers) {
			if d.As == of {
				set, _ := h.Universe[of].Admit(d.Text) // it is written so that it can be read
				return set
			}
		}
		return version.Set{}
	})
}

// running returns the universe in which every release states what it runs with, within what a
// function returns for it and a package that it uses; the zero set for all.
func (h *History) running(within func(p *pkg, r *release, of string) version.Set) universe.Table {
	return h.table(h.now, func(p *pkg, r *release) (needs, peers []universe.Demand) {
		for _, of := range r.usesOf() {
			names := r.uses[of]
			var some, all []string
			bound := within(p, r, of)
			for _, o := range h.byName[of].releases {
				if o.day > h.now {
					continue
				}
				all = append(all, o.text())
				if o.has(names) && (bound.Size() == 0 || bound.Has(h.Universe[of].Index(o.text()))) {
					some = append(some, o.text())
				}
			}
			text := ""
			if len(some) > 0 {
				text = h.Dialect.Only(some, all)
			} else {
				text = h.Dialect.Open(99)
			}
			d := universe.Demand{As: of, Package: of, Text: text}
			if h.Dialect.Peers && (of == framework || p.kind == tool) {
				peers = append(peers, d)
			} else {
				needs = append(needs, d)
			}
		}
		return needs, peers
	})
}
