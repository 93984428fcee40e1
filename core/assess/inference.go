package assess

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A statement is what a release says about the framework.
type statement struct {
	demands []universe.Demand // on the framework or one of its siblings
	bounded bool              // whether one of them has an end
	each    []version.Set     // the framework's releases that each of them admits
	admits  version.Set       // those that all of them admit
	named   version.Set       // those that it claims to be for; the zero Set for none
}

// memo keeps what was read of packages, for all copies of a question.
type memo struct {
	statements sync.Map
	mu         sync.Mutex
	bases      []*solve.Base   // the latest resolutions that were continued
	views      map[string]view // by the runtimes that are taken to be deployed, and those that are goals
}

// A view is what is seen of the registry when some runtimes are deployed. Copies of a question that
// assume the same runtimes share one, and with it what its sources and a search have found out.
type view struct {
	full   universe.Source // see Question.Full
	source universe.Source // what of it runs on the runtimes
}

// view returns the view for some runtimes, made when it is asked for the first time.
func (m *memo) view(pairs *pairing, assumed project.Runtimes, raised map[string]version.Version,
	create func() view) view {
	key := fmt.Sprint(pairs, assumed, raised) // maps are printed in the order of their keys
	m.mu.Lock()
	defer m.mu.Unlock()
	v, ok := m.views[key]
	if !ok {
		if m.views == nil {
			m.views = map[string]view{}
		}
		v = create()
		m.views[key] = v
	}
	return v
}

// statements are what the releases of a package say about the framework.
type statements struct {
	all []statement
	// the releases that count when others are interpreted: neither prereleases nor deprecated, with a bounded statement
	bounded []int
}

// statements returns what every release of a package says about the framework.
func (a *Judgement) statements(p, framework *universe.Package) *statements {
	key := [2]*universe.Package{p, framework}
	if known, ok := a.memo.statements.Load(key); ok {
		return known.(*statements)
	}
	s := &statements{all: make([]statement, p.Len())}
	for i := range p.Len() {
		if !a.lookedAt(p, framework, i) {
			s.all[i] = a.statementOf(nil, nil, framework)
			continue
		}
		if i > 0 && a.lookedAt(p, framework, i-1) && universe.SameLists(p.Needs(i), p.Needs(i-1)) &&
			universe.SameLists(p.Peers(i), p.Peers(i-1)) {
			s.all[i] = s.all[i-1]
		} else {
			s.all[i] = a.statementOf(p.Needs(i), p.Peers(i), framework)
		}
		s.all[i].named = a.claimed(p, i, framework)
		if s.all[i].bounded && !p.Version(i).Prerelease() && !p.Deprecated(i) {
			s.bounded = append(s.bounded, i)
		}
	}
	a.memo.statements.Store(key, s)
	return s
}

// lookedAt reports whether it is looked at what a release states. Where that costs a request, it is
// not for those before the one in use, and for none of a package of which neither that one nor the
// newest speaks of the framework: it is taken to be silent; and for none that would have to be
// built. What is chosen in the end is solved with what it demands all the same.
func (a *Judgement) lookedAt(p, framework *universe.Package, i int) bool {
	if !p.IsCostly() {
		return true
	}
	ends := a.ends(p)
	return i == ends[0] || i == ends[len(ends)-1] || i > ends[0] && !p.IsDear(i) &&
		slices.ContainsFunc(ends, func(end int) bool { return a.speaks(p, framework, end) })
}

// ends lists the position of the release in use and that of the newest.
func (a *Judgement) ends(p *universe.Package) []int {
	return []int{max(0, p.Index(a.Locked(a.declaredAs(p.Name)))), max(0, p.Stable().Max())}
}

// speaks reports whether a release speaks of the framework.
func (a *Judgement) speaks(p, framework *universe.Package, i int) bool {
	return len(a.ofFramework(p.Needs(i)))+len(a.ofFramework(p.Peers(i))) > 0 || a.namesOf(p, i, framework) != ""
}

// lookAhead begins to fetch what the assessment will look at, where that costs requests: of every
// declared package first what tells whether it speaks of the framework, and then of those that do
// the rest.
func (a *Judgement) lookAhead(framework *universe.Package) {
	for _, p := range a.lookAtEnds() {
		var rest []int
		for i := p.Len() - 1; i >= 0; i-- {
			if a.lookedAt(p, framework, i) {
				rest = append(rest, i)
			}
		}
		p.LookAhead(rest)
	}
}

// lookAtEnds begins to fetch, of the declared packages where that costs a request, what the
// releases in use and the newest state.
func (a *Judgement) lookAtEnds() (all []*universe.Package) {
	for _, d := range a.App.Declared {
		if !project.Registered(d) {
			continue
		}
		if p, err := a.Pkg(d.As); err == nil && p.IsCostly() { // an error is found again when it matters
			all = append(all, p)
			p.LookAhead(a.ends(p))
		}
	}
	return all
}

// statementOf reads what a release says about the framework by its needs and peers; a demand on a
// sibling says it about the framework.
func (a *Judgement) statementOf(needs, peers []universe.Demand, framework *universe.Package) statement {
	s := statement{demands: append(a.ofFramework(peers), a.ofFramework(needs)...),
		admits: version.FullSet(framework.Len())}
	for _, d := range s.demands {
		set, _ := framework.Admit(d.Text) // what cannot be read admits nothing
		s.each, s.admits = append(s.each, set), s.admits.And(set)
		if c, err := a.App.Scheme.Constrain(d.Text); err == nil && c.Bounded() {
			s.bounded = true
		}
	}
	return s
}

// claimed returns the releases of the framework that a release claims to be for.
func (a *Judgement) claimed(p *universe.Package, i int, framework *universe.Package) version.Set {
	var named version.Set
	for _, c := range p.Claims(i) {
		if c.Package != framework.Name {
			continue
		}
		named = version.NewSet(framework.Len())
		for _, text := range c.Versions {
			if meant, err := a.App.Scheme.Goal(text); err == nil {
				named = named.Or(meant.Admit(framework.Versions()))
			}
		}
	}
	return named
}

// namesOf lists what a release claims of the framework: "marram 4.1, 4.2"; "" for nothing.
func (a *Judgement) namesOf(p *universe.Package, i int, framework *universe.Package) string {
	for _, c := range p.Claims(i) {
		if c.Package == framework.Name {
			return c.Package + " " + strings.Join(c.Versions, ", ")
		}
	}
	return ""
}

// An inference is what a later release tells about the silence or the open range of an earlier one:
// that it promises nothing for some releases of the framework.
type inference struct {
	at, by int  // positions of the two releases
	first  bool // the later one is the first to accept what is wanted
}

// sayings returns what the two releases of an inference say.
func (a *Judgement) sayings(p, framework *universe.Package, i *inference) (earlier, later fact.Fact) {
	earlier, later = a.says(p, i.at, framework), a.says(p, i.by, framework)
	if i.first {
		later = fact.New(FirstToAccept, later)
	}
	return earlier, later
}

// infer interprets a release of a declared package that states nothing about the framework, or only
// a range without an end, by the later releases that state a bounded one. It returns nil where
// these leave it its promise for some of the wanted releases of the framework.
//
// Three things take it away. A later release claims to be for one of the wanted, and this one does
// not. The later releases end before the wanted: whoever came to know the framework's new major
// excluded it. Or the release is silent, and the first that accepts them came after a breaking
// move: support began there. Of the framework in use the first tells nothing, nor does the third
// where the release in use is silent too: that works, and nothing is inferred against it. Nor is
// anything against packages that people trust.
func (a *Judgement) infer(p, framework *universe.Package, at int, wanted version.Set) *inference {
	declared := a.declaredAs(p.Name)
	if at < 0 || declared == "" || p.Name == framework.Name || a.kin.siblings[p.Name] ||
		slices.Contains(a.App.Trusted, declared) || a.App.Aside(p.Name, framework.Name) {
		return nil
	}
	reached := a.reached(framework, wanted)
	if reached && at <= p.Index(a.Locked(declared)) {
		return nil
	}
	statements := a.statements(p, framework)
	own := statements.all[at]
	if own.bounded {
		return nil
	}
	if own.named.Meets(wanted) {
		return nil
	}
	for i := at + 1; i < len(statements.all) && !reached; i++ {
		if statements.all[i].named.Meets(wanted) && !p.Version(i).Prerelease() && !p.Deprecated(i) &&
			statements.all[i].admits.Meets(wanted) {
			return &inference{at, i, true} // its authors name what is wanted from there on
		}
	}
	// the first that accepts, the newest that states anything, and the last release of the framework that any admits
	first, last, end := -1, -1, -1
	for _, i := range statements.bounded {
		if i <= at {
			continue
		}
		s := statements.all[i]
		last, end = i, max(end, s.admits.Max())
		if first < 0 && s.admits.Meets(wanted) {
			first = i
		}
	}
	switch {
	case last < 0:
		return nil
	case first < 0 && end < wanted.Min():
		return &inference{at, last, false}
	case first >= 0 && len(own.demands) == 0 && !(reached && a.silent(p, statements)) &&
		a.App.Breaking(declared, p.Version(at), p.Version(first)):
		return &inference{at, first, true}
	}
	return nil
}

// silent reports whether the release in use states nothing about the framework, which it works with all the same.
func (a *Judgement) silent(p *universe.Package, all *statements) bool {
	at := p.Index(a.Locked(a.declaredAs(p.Name)))
	return at >= 0 && len(all.all[at].demands) == 0
}

// says tells what a release states about the framework.
func (a *Judgement) says(p *universe.Package, at int, framework *universe.Package) fact.Fact {
	r := p.At(at)
	demands := a.onFramework(r)
	if names := a.namesOf(p, at, framework); names != "" {
		return fact.New(ReleaseNames, p.Name, r.Version, names)
	}
	if len(demands) == 0 {
		return fact.New(ReleaseSilent, p.Name, r.Version, framework.Name)
	}
	return fact.New(ReleaseAsks, p.Name, r.Version, asked(demands[0]))
}

// reached reports whether some of the wanted releases belong to the major in use, or to one before it.
func (a *Judgement) reached(framework *universe.Package, wanted version.Set) bool {
	here := framework.Known(a.Locked(a.Goal.Name))
	first := wanted.Min()
	return here != nil && first >= 0 && !a.pastMajor(framework.Version(first), here.Version)
}

// declaredAs returns the name under which a package is declared, "" for none.
func (a *Judgement) declaredAs(pkg string) string {
	for _, d := range a.App.Declared {
		if d.Package == pkg && !d.Foreign {
			return d.As
		}
	}
	return ""
}

// promising filters releases of a declared package to those that are not taken to exclude some
// releases of the framework.
func (a *Judgement) promising(p, framework *universe.Package, releases, target []string) []string {
	wanted := a.setOf(framework, target)
	if wanted.Empty() {
		return releases
	}
	return slices.DeleteFunc(slices.Clone(releases), func(v string) bool {
		return a.infer(p, framework, p.Index(v), wanted) != nil && !a.advises(p, v, target)
	})
}
