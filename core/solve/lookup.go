package solve

import (
	"maps"
	"slices"
	"strconv"

	"molt/core/universe"
)

// A provider is a variable (from 0), or by -1-k the k-th application-level name, whose variable may not exist yet.
type provider int32

// anywhere is the provider of names that come from outside the registry: they are never checked.
const anywhere = provider(-1 << 30)

type fixedKey struct {
	name string
	w    int
}

// A deferral is a context that is put off until its providers have releases; with what it came to when it was looked at
// last.
type deferral struct {
	e     *edge
	w     int
	inst  *instance
	terms []term     // false as long as the providers keep their releases
	open  []provider // application-level names that had no release
}

// A delayedKey is an edge and the key of an instance with which it was put off.
type delayedKey struct {
	edge int32
	key  string
}

func (s *solver) slot(name string) provider {
	if p, ok := s.slotOf[name]; ok {
		return p
	}
	p := provider(-1 - len(s.slots))
	s.slots = append(s.slots, name)
	s.slotOf[name] = p
	return p
}

// chain returns where a dependent finds a name, nearest first. Nil means that the name was not known to matter here.
func (s *solver) chain(i *instance, name string) []provider {
	if i.id == application || s.global(name) {
		if s.foreign[name] {
			return []provider{anywhere}
		}
		return []provider{s.slot(name)}
	}
	var own []provider
	if e := s.edge(i, name); e != nil {
		own = []provider{provider(e.v)}
		if e.v < 0 {
			return []provider{anywhere}
		}
		if !e.optional {
			return own
		}
	}
	above, ok := s.sees(i)[name]
	if !ok {
		if p := s.pkgOfInst(i); s.grouped {
			s.lookups(p)[i.w][name] = true
		} else {
			p.passes(name)
		}
		s.stale = true
		return nil
	}
	return append(own, above...)
}

// sees returns what an instance sees, nil when its context does not matter.
func (s *solver) sees(i *instance) map[string][]provider {
	if i.sees < 0 {
		return nil
	}
	return s.seen[i.sees]
}

// link adds the clause of "when the prefix does not hold and e gets release w, instance i is part of the graph".
func (s *solver) link(why int32, prefix []term, e *edge, w int, i *instance) {
	s.add(why, append(prefix, term{e.v, s.other(s.pkgOf(e.v), w)}, term{i.v, on})...)
}

// view returns where the target of an edge to a package finds the names that matter to it.
func (s *solver) view(e *edge, p *pkg, w int) (map[string][]provider, bool) {
	rel := p.extras().rel
	if s.grouped {
		rel = s.lookups(p)[w]
	}
	if len(rel) == 0 {
		return nil, true
	}
	sees, known := map[string][]provider{}, true
	peers := p.Peers(w)
	for name := range rel {
		if s.provides(p, w, name) && !slices.ContainsFunc(peers, func(d universe.Demand) bool { return d.As == name }) {
			continue
		}
		c := s.chain(s.owner(e), name)
		if c == nil { // all such names are learned, so that the order in which they come does not matter
			known = false
			continue
		}
		sees[name] = c
	}
	if !known {
		return nil, false
	}
	return sees, true
}

// find returns the instance of a release with given providers, and the key of one that is not there yet.
func (s *solver) find(p *pkg, w int, sees map[string][]provider) (*instance, string) {
	var at int32
	var key string
	if len(sees) == 0 {
		at = s.uses[s.useOf(p, int32(w))].plain
	} else {
		key = instanceKey(p.Name, w, sees)
		at = s.instances[key]
	}
	if at == 0 {
		return nil, key
	}
	return s.contexts.at(at), key
}

func instanceKey(name string, w int, sees map[string][]provider) string {
	key := []byte(name)
	key = append(key, '@')
	key = strconv.AppendInt(key, int64(w), 10)
	for _, seen := range slices.Sorted(maps.Keys(sees)) {
		key = append(append(append(key, '|'), seen...), '=')
		for _, p := range sees[seen] {
			key = strconv.AppendInt(append(key, ','), int64(p), 10)
		}
	}
	return string(key)
}

// mostContexts is how many contexts of a release a grouped search makes for providers that are open.
const mostContexts = 1

// newContext makes an instance that is not part of anything yet.
func (s *solver) newContext(p *pkg, w int) *instance {
	i, id := s.contexts.add()
	*i = instance{id: id, pkg: p.id, w: int32(w), v: -1, parent: -1, sees: -1}
	return i
}

func (s *solver) newInstance(p *pkg, w int, sees map[string][]provider, key string) *instance {
	i := s.newContext(p, w)
	i.v = s.newVar(nil, 1)
	s.vars[i.v].inst = i.id
	if len(sees) == 0 {
		s.uses[s.useOf(p, i.w)].plain = i.id
	} else {
		i.sees = int32(len(s.seen))
		s.seen = append(s.seen, sees)
		s.instances[key] = i.id
		s.dependent++
		s.uses[s.useOf(p, i.w)].contexts++
	}
	return i
}

// recurs reports whether a release comes again below itself, with providers that lie below the application.
func (s *solver) recurs(e *edge, p *pkg, w int, sees map[string][]provider) bool {
	local := false
	for _, c := range sees {
		local = local || len(c) > 1 || c[0] >= 0
	}
	if !local {
		return false
	}
	for at := e.owner; at > application; {
		i := s.contexts.at(at)
		if i.pkg == p.id && i.w == int32(w) {
			return true
		}
		at = i.parent
	}
	return s.grouped && s.uses[s.useOf(p, int32(w))].contexts >= mostContexts
}

// madeBy adds the demand that brought a variable into being: that a name is found there, and not farther up, is part
// of what follows from it.
func (s *solver) madeBy(causes []int32, v int32) []int32 {
	if e := s.edgeOf(v); e != nil && e.cause != noReason {
		return append(causes, e.cause)
	}
	return causes
}

// placeDeferred makes the instances that were put off, now that their providers have releases. It reports whether
// there is more to search.
func (s *solver) placeDeferred() (bool, error) {
	more := false
	for n := range s.deferred {
		d := &s.deferred[n]
		if n%256 == 255 {
			if err := s.ctx.Err(); err != nil {
				return false, err
			}
		}
		if !s.on(s.owner(d.e)) || s.release(d.e.v) != d.w {
			continue
		}
		if d.inst != nil && s.on(d.inst) && s.stands(d) { // as when it was looked at last
			continue
		}
		p := s.pkgOf(d.e.v)
		given, _ := s.view(d.e, p, d.w)
		if err := s.step(1 + len(given)); err != nil {
			return false, err
		}
		sees := map[string][]provider{}
		var terms []term
		var causes []int32
		d.open = d.open[:0]
		for _, name := range slices.Sorted(maps.Keys(given)) {
			for _, p := range given[name] {
				if p >= 0 {
					causes = s.madeBy(causes, int32(p))
				}
			}
			c, told, undecided := s.decideChain(name, given[name])
			if undecided >= 0 {
				s.decide(undecided, int(s.vars[undecided].n))
				return true, nil
			}
			if c[0] < 0 && c[0] != anywhere {
				d.open = append(d.open, c[0])
			}
			sees[name] = c
			terms = append(terms, told...)
		}
		i, key := s.find(p, d.w, sees)
		d.inst, d.terms = i, terms
		place := delayedKey{d.e.id, key}
		if i != nil && s.on(i) && s.delayed[place] == i.id { // it is in place
			continue
		}
		if i == nil {
			i = s.newInstance(p, d.w, sees, key)
			d.inst = i
		}
		s.delayed[place] = i.id
		s.link(s.because(causes), terms, d.e, d.w, i)
		more = true
	}
	return more, nil
}

// stands reports whether the providers of a deferred context have the releases that they had when it was placed last.
func (s *solver) stands(d *deferral) bool {
	for _, t := range d.terms {
		if s.canHold(t) {
			return false
		}
	}
	for _, p := range d.open {
		if _, w := s.atTop(p); w >= 0 {
			return false
		}
	}
	return true
}

// atTop returns the variable of an application-level name and its release, -1 when it has none, or none yet.
func (s *solver) atTop(p provider) (v int32, w int) {
	v, ok := s.topVar(s.slots[-1-p])
	if !ok {
		return -1, -1
	}
	if w = s.release(v); w == int(s.vars[v].n) {
		w = -1
	}
	return v, w
}

// decideChain replaces the providers of a name by the release that they came to, and gives the terms that spare
// other releases. A provider that is still open is returned as undecided.
func (s *solver) decideChain(name string, chain []provider) (_ []provider, terms []term, undecided int32) {
	for _, p := range chain {
		if p == anywhere {
			break
		}
		v, w := int32(p), 0
		if p < 0 {
			if v, w = s.atTop(p); w < 0 { // nothing, as far as is known: whatever it becomes, the application has it
				break
			}
		} else {
			if w = s.release(v); w < 0 {
				return nil, nil, v
			}
		}
		pkg := s.pkgOf(v)
		terms = append(terms, term{v, s.other(pkg, w)})
		if w == pkg.n {
			continue
		}
		key := fixedKey{pkg.Name, w}
		f, ok := s.fixed[key]
		if !ok {
			f = s.newVar(pkg, pkg.n)
			s.vars[f].dom = s.sets.only(int32(pkg.n), w)
			s.fixed[key] = f
		}
		return []provider{provider(f)}, terms, -1
	}
	if s.foreign[name] {
		return []provider{anywhere}, terms, -1
	}
	return []provider{s.slot(name)}, terms, -1
}
