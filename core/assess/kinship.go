package assess

import (
	"slices"
	"strings"
	"time"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
)

// The grounds of a family. All but the first qualify what the packages have in common.
const (
	DeclaredFamily fact.Kind = "declared as a family"  //
	SameNumbers    fact.Kind = "equal release numbers" // what they have in common
	SameDays       fact.Kind = "same days"             // what they have in common
	OneRepository  fact.Kind = "one repository"        //
	AsksExactly    fact.Kind = "one asks for exactly the other"
)

// Akin returns the ground on which two declared packages are a family, which moves in step; none for
// no such ground: people said so, or they have a scope, a name stem or a repository in common, or one asks
// for exactly its own number of the other, and they were published under the same version numbers,
// or on the same days in the same majors.
func (a *Judgement) Akin(x, y string) fact.Fact {
	type pair struct{ akin, to string }
	key := pair{min(x, y), max(x, y)}
	known, ok := a.memo.statements.Load(key)
	if !ok {
		known, _ = a.memo.statements.LoadOrStore(key, a.akin(key.akin, key.to))
	}
	return known.(fact.Fact)
}

func (a *Judgement) akin(x, y string) fact.Fact {
	for _, family := range a.App.Families {
		if slices.Contains(family, x) && slices.Contains(family, y) {
			return fact.New(DeclaredFamily)
		}
	}
	var common fact.Kind
	if a.App.Kin != nil {
		common = a.App.Kin(x).Common(a.App.Kin(y))
	}
	if common == "" && a.repository(x) != "" && a.repository(x) == a.repository(y) {
		common = OneRepository
	}
	if common == "" && (a.exactly(x, y) || a.exactly(y, x)) {
		common = AsksExactly
	}
	switch {
	case common == "":
		return fact.Fact{}
	case a.sameHistory(x, y):
		return fact.New(SameNumbers, fact.New(common))
	case a.sameDays(x, y):
		return fact.New(SameDays, fact.New(common))
	}
	return fact.Fact{}
}

// sameDays reports whether, as long as there were both, at least three out of four releases of each
// of two packages came on a day when the other had one of the same major, with more than a few such
// days.
func (a *Judgement) sameDays(x, y string) bool {
	px, errX := a.Pkg(x)
	py, errY := a.Pkg(y)
	return errX == nil && errY == nil && inOrder(px) && inOrder(py) && releasedWith(px, py) && releasedWith(py, px)
}

// releasedWith is one direction of sameDays.
func releasedWith(p, other *universe.Package) bool {
	stable := other.Stable()
	if stable.Empty() {
		return false
	}
	type dayOf struct{ day, major string }
	days := map[dayOf]bool{}
	for i := range stable.All() {
		days[dayOf{other.Published(i).Format(time.DateOnly), other.Scheme.Major(other.Version(i))}] = true
	}
	from, to := other.Published(stable.Min()), other.Published(stable.Max())
	met, all := 0, 0
	for i := range p.Stable().All() {
		at := p.Published(i)
		if at.IsZero() || at.Before(from) || at.After(to) {
			continue
		}
		all++
		if days[dayOf{at.Format(time.DateOnly), p.Scheme.Major(p.Version(i))}] {
			met++
		}
	}
	return met > fewShared && 4*met >= 3*all
}

func (a *Judgement) repository(name string) string {
	pkg, err := a.Pkg(name)
	if err != nil {
		return ""
	}
	return strings.TrimSuffix(pkg.Notes.Repository, ".git")
}

// exactly reports whether the locked release of a package asks for its own number of another.
func (a *Judgement) exactly(by, other string) bool {
	pkg, err := a.Pkg(by)
	if err != nil {
		return false
	}
	r := pkg.Release(a.Locked(by))
	return r != nil && slices.ContainsFunc(slices.Concat(r.Needs, r.Peers), func(d universe.Demand) bool {
		return d.Package == a.Declaration(other).Package && d.Text == r.Version.String()
	})
}

// sameHistory reports whether two packages were published under the same version numbers, at least three times out of
// four: over their whole lives, or as long as there were both.
func (a *Judgement) sameHistory(x, y string) bool {
	px, errX := a.Pkg(x)
	py, errY := a.Pkg(y)
	return errX == nil && errY == nil && equalNumbers(px, py)
}

func equalNumbers(x, y *universe.Package) bool {
	both := shared(x, y)
	if both > 1 && 4*both >= 3*(x.Stable().Count()+y.Stable().Count()-both) {
		return true
	}
	return both > fewShared && 4*both >= 3*(within(x, y)+within(y, x)-both)
}

// fewShared is how many numbers two packages can share by chance in a part of their lives.
const fewShared = 3

// within counts the stable releases of a package from the first number on that another one has, to its last.
func within(p, other *universe.Package) int {
	stable, n := other.Stable(), 0
	if stable.Empty() {
		return 0
	}
	from, to := other.Version(stable.Min()), other.Version(stable.Max())
	for i := range p.Stable().All() {
		if v := p.Version(i); v.Compare(from) >= 0 && v.Compare(to) <= 0 {
			n++
		}
	}
	return n
}

// numbersOf reports whether at least three out of four of a package's releases have the number of
// one of another's. The other one may have many more: the package came later, or ended earlier.
func numbersOf(p, other *universe.Package) bool {
	both := shared(p, other)
	return both > 1 && 4*both >= 3*p.Stable().Count()
}

// shared counts the releases of a package whose number another has as well. Previews come and go, and do not count.
func shared(x, y *universe.Package) int {
	n := 0
	for i := range x.Stable().All() {
		if y.Index(x.Version(i).String()) >= 0 {
			n++
		}
	}
	return n
}

// kin is what a question knows of the framework's relatives; found once, when it is built.
type kin struct {
	siblings map[string]bool // packages of the framework's family: what is stated about them is stated about the framework
	// declared names of the framework's scope that follow its majors, and so never pass the goal's
	capped map[string]bool
	owned  map[string]bool // of these, the siblings: they arrive at the goal's major with it
	// declared names, named after the framework, locked at its number, and nearly all of whose numbers are its numbers
	numbered map[string]bool
}

// relatives finds the framework's relatives among what is declared and locked.
func (a *Judgement) relatives() error {
	a.kin = kin{map[string]bool{}, map[string]bool{}, map[string]bool{}, map[string]bool{}}
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return err
	}
	at := framework.Known(a.Locked(a.Goal.Name))
	own := func(project.Kin) bool { return false }
	if a.App.Kin != nil {
		of := a.App.Kin(framework.Name)
		own = func(k project.Kin) bool {
			return k.Scope != "" && (k.Scope == of.Scope || of.Scope == "" && k.Owner == framework.Name)
		}
	}
	for _, name := range a.Names() {
		p, err := a.Pkg(name)
		if err != nil {
			return err
		}
		if name != a.Goal.Name && a.App.Kin != nil && a.App.Kin(p.Name).Common(a.App.Kin(framework.Name)) != "" &&
			a.Locked(name) == a.Locked(a.Goal.Name) && numbersOf(p, framework) {
			a.kin.numbered[name] = true
		}
		switch {
		case name == a.Goal.Name:
			continue
		case !a.Akin(a.Goal.Name, name).None() && a.sameHistory(a.Goal.Name, name):
			a.kin.siblings[p.Name], a.kin.capped[name], a.kin.owned[name] = true, true, true
		case a.App.Kin != nil && at != nil && a.App.Kin(p.Name).Near(a.App.Kin(framework.Name)) &&
			a.followsMajors(p, framework, at.Version):
			a.kin.capped[name] = true
		case a.App.Kin != nil && own(a.App.Kin(p.Name)):
			// One that is ahead of the framework has numbers of its own.
			if r := p.Known(a.Locked(name)); at == nil || r == nil || !a.pastMajor(r.Version, at.Version) {
				a.kin.capped[name] = true
			}
		}
	}
	for _, n := range a.Base.Packages { // what nobody declares can be a sibling too
		if universe.NameOf(n.Name).Extra != "" || a.App.Kin == nil || a.kin.siblings[n.Name] ||
			n.Name == framework.Name || a.App.Kin(n.Name).Common(a.App.Kin(framework.Name)) == "" {
			continue
		}
		if p, err := universe.LookUp(a.Ctx, a.Full, n.Name); err != nil {
			return err
		} else if p != nil && equalNumbers(p, framework) {
			a.kin.siblings[n.Name] = true
		}
	}
	return nil
}

// followsMajors reports whether a package that is named after the framework numbers its majors as
// the framework does: it is locked at the framework's major, and has releases of another of its
// majors; and more than one of them came in the time of the framework's, which one coincidence does
// not. One that came well before the framework's, or a major past all of the framework's, tells
// that it numbers them for itself.
func (a *Judgement) followsMajors(p, framework *universe.Package, at version.Version) bool {
	r := p.Release(a.Locked(a.declaredAs(p.Name)))
	if r == nil || a.App.Scheme.Major(r.Version) != a.App.Scheme.Major(at) {
		return false
	}
	theirs := map[string]bool{}
	for i := range framework.Len() {
		theirs[a.App.Scheme.Major(framework.Version(i))] = true
	}
	// of the framework, from the release in use on: then that tells, and equal numbers do not
	other, speaks := false, false
	told := map[string]bool{} // the majors of which it can be told that they are for the same one of the framework
	for i, v := range p.Versions() {
		m := a.App.Scheme.Major(v)
		other = other || m != a.App.Scheme.Major(at) && theirs[m]
		if theirs[m] && !v.Prerelease() && a.bornWith(p, framework, i, m) {
			told[m] = true
		}
		if !v.Prerelease() && !a.pastMajor(r.Version, v) &&
			(theirs[m] && a.bornBefore(p, framework, i, m) || a.pastMajor(v, framework.Version(framework.Len()-1))) {
			return false
		}
		if !a.lookedAt(p, framework, i) {
			continue
		}
		s := a.statementOf(p.Needs(i), p.Peers(i), framework)
		speaks = speaks || len(s.demands) > 0 && !a.pastMajor(r.Version, v)
		if theirs[m] && s.bounded && !a.pastMajor(r.Version, v) &&
			!slices.ContainsFunc(Texts(framework, s.admits),
				func(text string) bool { return a.App.Scheme.Major(framework.Known(text).Version) == m }) {
			return false // a release with the number of one of its majors is for another, and not of the time before it followed
		}
		if theirs[m] && s.bounded && !v.Prerelease() {
			told[m] = true
		}
	}
	return other && (len(told) > 1 || !speaks && a.sameMajors(p, framework, theirs))
}

// manyMajors is how many majors two packages have in common that are no coincidence.
const manyMajors = 5

// sameMajors reports whether, where there are no dates that could tell, the majors themselves tell
// that a package follows the framework's: it has many of them, and the newest of both is the same.
func (a *Judgement) sameMajors(p, framework *universe.Package, theirs map[string]bool) bool {
	tells := func(p *universe.Package) bool { return !p.Published(p.Len()-1).IsZero() && inOrder(p) }
	if tells(p) && tells(framework) {
		return false
	}
	newest, last := universe.NewestStable(p), universe.NewestStable(framework)
	common := map[string]bool{}
	for i := range p.Stable().All() {
		if m := a.App.Scheme.Major(p.Version(i)); theirs[m] {
			common[m] = true
		}
	}
	return newest != nil && last != nil && a.App.Scheme.Major(newest.Version) == a.App.Scheme.Major(last.Version) &&
		len(common) >= manyMajors
}

// bornWith reports whether the major of a release came in the time of the framework's major of that
// number: after its first release, and before the first of the next. It is false where there are no
// dates that could tell.
func (a *Judgement) bornWith(p, framework *universe.Package, i int, major string) bool {
	born := p.Born(i)
	if born.IsZero() || !inOrder(p) || !inOrder(framework) {
		return false
	}
	from, found := time.Time{}, false
	for k, v := range framework.Versions() {
		switch m := a.App.Scheme.Major(v); {
		case v.Prerelease():
		case m == major && !found:
			from, found = framework.Born(k), true
		case m != major && found:
			return !born.Before(from) && born.Before(framework.Born(k))
		}
	}
	return found && !born.Before(from)
}

// aheadTime is how long before a framework's major what is made for it may come out.
const aheadTime = 60 * 24 * time.Hour

// bornBefore reports whether the major of a release came well before the framework's of that number, previews included.
func (a *Judgement) bornBefore(p, framework *universe.Package, i int, major string) bool {
	born := p.Born(i)
	if born.IsZero() || !inOrder(p) || !inOrder(framework) {
		return false
	}
	for k, v := range framework.Versions() {
		if a.App.Scheme.Major(v) == major {
			first := framework.Born(k)
			return !first.IsZero() && born.Before(first.Add(-aheadTime))
		}
	}
	return false
}

// pastMajor reports whether a version belongs to a later major than another.
func (a *Judgement) pastMajor(v, other version.Version) bool {
	return v.Compare(other) > 0 && a.App.Scheme.Major(v) != a.App.Scheme.Major(other)
}

// ofGoal filters releases of the framework's own packages: none passes the majors of some releases
// of the framework, and of those that share its numbers only releases of these majors are left,
// where there are any.
func (a *Judgement) ofGoal(name string, p, framework *universe.Package, releases, target []string) []string {
	if !a.kin.capped[name] || len(target) == 0 {
		return releases
	}
	last := framework.Known(target[len(target)-1])
	if last == nil {
		return releases
	}
	majors := map[string]bool{}
	for _, v := range target {
		if r := framework.Known(v); r != nil {
			majors[a.App.Scheme.Major(r.Version)] = true
		}
	}
	locked := a.Locked(name)
	var within, same []string
	for _, v := range releases {
		r := p.Known(v)
		if r == nil || a.pastMajor(r.Version, last.Version) && v != locked && !a.states(p, framework, v, target) {
			continue
		}
		within = append(within, v)
		if majors[a.App.Scheme.Major(r.Version)] {
			same = append(same, v)
		}
	}
	if a.kin.owned[name] && len(same) > 0 && !slices.Contains(a.App.Held, name) {
		return same
	}
	return within
}

// states reports whether a release names some releases of the framework, by a range with an end or
// as ones that it is for: no kinship says otherwise then.
func (a *Judgement) states(p, framework *universe.Package, v string, target []string) bool {
	i := p.Index(v)
	if i < 0 || a.kin.siblings[p.Name] {
		return false
	}
	s := a.statements(p, framework).all[i]
	return slices.ContainsFunc(target, func(t string) bool {
		at := framework.Index(t)
		return s.named.Has(at) || s.bounded && s.admits.Has(at)
	})
}

// Owned reports whether a declared package is one of the framework's own that share its numbers: it
// moves with the framework, and neither before nor after.
func (a *Judgement) Owned(name string) bool { return a.kin.owned[name] }

// BesideFramework returns where one of the framework's own packages that share its numbers goes
// with a release of it: to that number, or where it has none, to its newest before, instead of a
// later one that would resolve too.
func (a *Judgement) BesideFramework(name, v, framework string) string {
	p, errP := a.Pkg(name)
	f, errF := a.Pkg(a.Goal.Name)
	if !a.kin.owned[name] || errP != nil || errF != nil || p.Known(v) == nil || f.Known(framework) == nil ||
		p.Known(v).Version.Compare(f.Known(framework).Version) <= 0 {
		return v
	}
	best := v
	for i := p.Index(a.Locked(name)) + 1; i < p.Len(); i++ {
		if at := p.Version(i); at.Compare(f.Known(framework).Version) <= 0 && !at.Prerelease() && !p.Withdrawn(i) &&
			!p.Deprecated(i) && a.App.Scheme.Major(at) == a.App.Scheme.Major(p.Known(v).Version) {
			best = at.String()
		}
	}
	return best
}

// Ends reports whether a declared package that is published with the framework, number by number,
// has no release of the framework's major at a version.
func (a *Judgement) Ends(p *universe.Package, name string, framework version.Version) bool {
	if !a.kin.owned[name] && !a.kin.numbered[name] {
		return false
	}
	major := a.App.Scheme.Major(framework)
	return !slices.ContainsFunc(p.Versions(), func(v version.Version) bool { return a.App.Scheme.Major(v) == major })
}

// Capped reports whether a release of a declared package is past the goal's major, though the
// package follows the framework's majors.
func (a *Judgement) Capped(name string, v version.Version) bool {
	if !a.kin.capped[name] {
		return false
	}
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil || len(a.meant) == 0 {
		return false
	}
	last := framework.Known(a.meant[len(a.meant)-1])
	return last != nil && a.pastMajor(v, last.Version)
}

// Describes returns the package, or the runtime, that a declared package describes; "" for none.
func (a *Judgement) Describes(name string) string {
	p, err := a.Pkg(name)
	if err != nil {
		return ""
	}
	about, _ := a.described(p)
	return about
}

// described returns what a package describes, and whether that is a runtime; "" where it describes nothing.
func (a *Judgement) described(p *universe.Package) (about string, runtime bool) {
	if a.App.Kin == nil {
		return "", false
	}
	about = a.App.Kin(p.Name).Describes
	for _, r := range a.App.Known {
		if about != "" && r.Name == about {
			return about, true
		}
	}
	return about, false
}

// following returns a source in which declared packages that describe another one never pass its
// major: each of their releases has that one as an optional peer, from its major on, and no further
// where there is a description of the next major; and those that describe a runtime are hidden
// beyond the major that is deployed. Locked releases are as they are. It is a view for choosing;
// locks are made from the source below.
func (a *Judgement) following(source universe.Source) universe.Source {
	if a.App.Kin == nil {
		return source
	}
	locked := map[string][]string{}
	if a.Base != nil {
		locked = a.Base.Versions()
	}
	return universe.Changed(source, func(p *universe.Package) (*universe.Package, error) {
		about, runtime := a.described(p)
		if about == "" || !slices.ContainsFunc(a.App.Declared, func(d project.Declared) bool { return d.Package == p.Name }) {
			return p, nil
		}
		if runtime {
			return p.Only(func(i int) bool {
				v := p.Version(i)
				return slices.Contains(locked[p.Name], v.String()) || !a.pastRuntime(about, v)
			}), nil
		}
		if locked[about] == nil && a.Declaration(about).As == "" {
			return p, nil
		}
		other, err := universe.LookUp(a.Ctx, source, about)
		if err != nil || other == nil || other.Len() == 0 {
			return p, err
		}
		stays := func(v version.Version) bool { return slices.Contains(locked[p.Name], v.String()) }
		declared := a.Declaration(about).As != ""
		p = p.Only(func(i int) bool {
			v := p.Version(i)
			if stays(v) {
				return true
			}
			if !declared { // nobody chooses its release, so it is taken to stay in its major
				return slices.ContainsFunc(locked[about], func(text string) bool {
					at := other.Known(text)
					return at != nil && !a.pastMajor(v, at.Version)
				})
			}
			return a.firstFromMajor(other, v) != nil
		})
		if !declared {
			return p, nil
		}
		return p.Rewritten(nil, func(i int, all []universe.Demand) []universe.Demand {
			v := p.Version(i)
			from := a.firstFromMajor(other, v)
			if from == nil {
				return all
			}
			if minor := a.firstFromMinor(other, v); minor != nil {
				from = minor
			}
			text := p.Scheme.AtLeast(from)
			if a.endsWithMajor(p, other, v) && !slices.Contains(a.App.Held, a.declaredAs(p.Name)) {
				text = p.Scheme.Styled(version.NextMinor, from)
			} else if stays(v) {
				return all
			}
			if c, err := p.Scheme.Constrain(text); stays(v) &&
				(err != nil || !slices.ContainsFunc(locked[about], func(text string) bool {
					at := other.Known(text)
					return at != nil && version.Admits(c, at.Version)
				})) {
				return all // they do not go together as it is
			}
			return append(slices.Clone(all), universe.Demand{As: about, Package: other.Name, Text: text, Optional: true})
		}), nil
	})
}

// endsWithMajor reports whether a description of a package's major has no say about the next one,
// because there is one of that too: then both move in one stage.
func (a *Judgement) endsWithMajor(p, other *universe.Package, v version.Version) bool {
	from := a.firstFromMajor(other, v)
	if from == nil || a.App.Scheme.Major(from) != a.App.Scheme.Major(v) {
		return false
	}
	next := ""
	for i, r := range other.Versions() {
		if !r.Prerelease() && a.pastMajor(r, from) {
			if other.Known(r.String()).Typed && !other.Deprecated(i) {
				return false // the next one describes itself
			}
			next = a.App.Scheme.Major(r)
			break
		}
	}
	return slices.ContainsFunc(p.Versions(), func(x version.Version) bool {
		return !x.Prerelease() && a.App.Scheme.Major(x) == next
	})
}

// firstFromMajor returns the first release of a package from the major on that a version of another
// one names; nil where there is none.
func (a *Judgement) firstFromMajor(p *universe.Package, v version.Version) version.Version {
	for i := range p.Len() {
		if r := p.Version(i); !a.pastMajor(v, r) && !r.Prerelease() {
			return r
		}
	}
	return nil
}

// firstFromMinor returns the first release of a package of the major and the minor, or a later minor, that a version of
// another one names; nil where there is none: the numbers of a description's minors need mean nothing.
func (a *Judgement) firstFromMinor(p *universe.Package, v version.Version) version.Version {
	for i := range p.Len() {
		r := p.Version(i)
		if r.Prerelease() || a.App.Scheme.Major(r) != a.App.Scheme.Major(v) {
			continue
		}
		if r.Compare(v) >= 0 || a.App.Scheme.Jump(r, v) <= version.Patch {
			return r
		}
	}
	return nil
}

// pastRuntime reports whether a version is of a later major than a runtime has anywhere. Of a
// runtime that nobody knows, no release is past.
func (a *Judgement) pastRuntime(name string, v version.Version) bool {
	runtime := a.App.Runtime(name)
	for _, text := range a.App.Assumed()[name] {
		at, err := version.Complete(runtime.Scheme, text)
		if err == nil && v.Compare(at) > 0 && a.App.Scheme.Major(v) != runtime.Scheme.Major(at) {
			return true
		}
	}
	return false
}
