// Package locking makes the lock of an application from its manifests and a registry, and says
// where lock, manifests and what is installed disagree. The same manifests and the same registry
// give the same lock, and what is locked stays where it may.
package locking

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"molt/app/open"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
)

// Relock resolves the manifest, near to what is locked already, and returns the lock with its text.
// Nothing is written. A release whose checksum changed is an *ecosystem.IntegrityError, unless it
// is accepted (name@version).
func Relock(ctx context.Context, a *open.Question, accepted ...string) (*ecosystem.Lock, []byte, error) {
	app, m := a.Application(), a.Manifest
	var err error
	if len(m.Members()) > 0 {
		if m, err = m.Clone(); err != nil {
			return nil, nil, err
		}
		if !app.Current() { // what was apart need not be any more
			if err := m.SetApart(nil); err != nil {
				return nil, nil, err
			}
			app.Declared = a.DeclaredIn(m)
		}
	}
	r, err := project.Relock(ctx, a.Source, app)
	if err == nil {
		err = open.SetApartAs(m, r)
	}
	if err != nil {
		return nil, nil, explain(ctx, a, err)
	}
	if m, r, err = a.Rejoined(ctx, m, r); err != nil {
		return nil, nil, err
	}
	l, err := NewLock(ctx, a, r, m, a.Lock, accepted...)
	if err != nil {
		return nil, nil, err
	}
	return l, ecosystem.EncodeLock(a.Eco, l), nil
}

// NewLock makes the lock of a resolution of a manifest.
func NewLock(ctx context.Context, a *open.Question, r *solve.Resolution, m *ecosystem.Manifests, before *ecosystem.Lock,
	accepted ...string) (*ecosystem.Lock, error) {
	if err := open.SettledOrigin(a.View); err != nil {
		return nil, err
	}
	l, err := ecosystem.NewLock(ctx, a.Eco, a.Source, r, before, accepted...)
	if l != nil {
		l.Origins = open.Origins(a.View)
		l.Overrides, l.Members, l.Waived = open.Written(m.Overrides()), m.Linked(), open.Waived(a.Application().Waived)
		a.Describe(l, m, before)
	}
	if err == nil {
		l.Wide, err = widened(ctx, a, r, m, before, accepted)
	}
	if err == nil && l.Wide != nil {
		w := l.Wide
		w.Origins, w.Overrides, w.Members, w.Waived = l.Origins, l.Overrides, l.Members, l.Waived
		w.Requires, w.Included, w.Alternatives, w.Index, w.Kept = l.Requires, l.Included, l.Alternatives, l.Index, l.Kept
	}
	if err == nil {
		err = StrongEnough(a.View, l)
	}
	if err == nil {
		err = carriesOut(a.View, m, l)
	}
	return l, err
}

// carriesOut is an error where an override of the edges below a package is about an edge that
// another package makes farther down: one release has the same edges wherever it stands, so it
// could not be carried out there only.
func carriesOut(a *open.View, m *ecosystem.Manifests, l *ecosystem.Lock) error {
	nodes := map[string]*ecosystem.LockedPackage{}
	for i := range l.Packages {
		nodes[l.Packages[i].ID] = &l.Packages[i]
	}
	for _, o := range m.Overrides() {
		if o.By == "" {
			continue
		}
		c, err := a.Eco.Scheme().Constrain(o.Of)
		seen := map[string]bool{}
		var below func(edges []solve.Edge) error
		below = func(edges []solve.Edge) error {
			for _, e := range edges {
				n := nodes[e.To]
				if n == nil || seen[n.ID] {
					continue
				}
				seen[n.ID] = true
				for _, next := range slices.Concat(n.Needs, n.Peers) {
					if next.Name == o.As && n.Name != o.By {
						return &input.UsageError{Reason: fmt.Sprintf(
							"%s: overrides: %s is needed by %s, which stands below %s; name %s, whose edge it is", m.Chief(), o.As,
							n.Name, o.By, n.Name)}
					}
				}
				if err := below(n.Needs); err != nil {
					return err
				}
			}
			return nil
		}
		for i := range l.Packages {
			p := &l.Packages[i]
			if p.Name != o.By {
				continue
			}
			if v, bad := a.Eco.Scheme().Parse(p.Version); o.Of != "" && (err != nil || bad != nil || !version.Admits(c, v)) {
				continue
			}
			if err := below(p.Needs); err != nil {
				return err
			}
		}
	}
	return nil
}

// HasLocked reports whether the lock has a release, as NAME@VERSION.
func HasLocked(a *open.View, release string) bool {
	return a.Lock != nil && slices.ContainsFunc(
		a.Lock.Packages, func(p ecosystem.LockedPackage) bool { return p.Name+"@"+p.Version == release })
}

// CheckDeclared makes sure that the registry has every declared package, and returns the optional
// ones that it lacks. The error points at the manifest's line.
func CheckDeclared(ctx context.Context, a *open.Question) (absent []string, err error) {
	a.Source.Hint(a.DeclaredPackages()...)
	published := false
	for _, e := range a.Manifest.Entries() {
		if e.Foreign {
			continue
		}
		p, err := a.Source.Package(ctx, e.Package)
		var unknown *universe.UnknownError
		if err == nil {
			published = published || p.Len() > 0
		}
		if errors.As(err, &unknown) && e.Optional {
			absent = append(absent, e.Package)
			continue
		}
		if errors.As(err, &unknown) {
			reason := fmt.Sprintf("the registry has no package %q, which %q asks for", e.Package, e.Group)
			if key := open.OriginKey(open.Origins(a.View), e.Package); key != open.UsualOrigin {
				reason = fmt.Sprintf("the registry for %s has no package %q, which %q asks for; whether another has one of that "+
					"name is not asked", key, e.Package, e.Group)
			}
			return nil, &input.PositionError{File: e.File, Line: e.Line, Column: e.Column, Reason: reason}
		}
		if err != nil {
			return nil, err
		}
	}
	if !a.Settings.AsOf.IsZero() && !published && len(a.DeclaredPackages()) > 0 {
		return nil, beforeAll(ctx, a)
	}
	return absent, nil
}

// Ahead begins to fetch what a resolution of the manifest will probably look at, until end is
// called, which waits for it.
func Ahead(ctx context.Context, a *open.Question) (end func()) {
	app := a.Application()
	if app.Current() && !app.Edgeless { // then it is what is locked
		for name := range app.Locked.Versions() {
			a.Source.Hint(name)
		}
		return func() {}
	}
	ctx, cancel := context.WithCancel(ctx)
	var demands []universe.Demand
	for _, d := range app.Declared {
		demands = append(demands, d.Demand)
	}
	var kept map[string][]string
	if app.Locked != nil {
		kept = app.Locked.Versions()
	}
	wait := universe.Ahead(ctx, a.Source, demands, kept, app.Linked)
	if a.Settings.Offline { // then it ends soon, and knows all that is missing
		return func() {
			wait()
			cancel()
		}
	}
	return func() {
		cancel()
		wait()
	}
}

// beforeAll says that on the day that was asked about nothing of what is declared had been
// published, and when the first was.
func beforeAll(ctx context.Context, a *open.Question) error {
	var first time.Time
	for _, name := range a.DeclaredPackages() {
		p, err := universe.WithDates(ctx, a.Source, name)
		if err != nil {
			return err
		}
		for i := range p.Len() {
			if at := p.About(i).Published; !at.IsZero() && (first.IsZero() || at.Before(first)) {
				first = at
			}
		}
	}
	says := fmt.Sprintf("--as-of %s: no release of what is declared is dated before that day",
		a.Settings.AsOf.Format(time.DateOnly))
	if !first.IsZero() {
		says += fmt.Sprintf("; the first is of %s", first.Format(time.DateOnly))
	}
	return &input.UsageError{Reason: says}
}

// A NoReleaseError reports a declared constraint that admits no published release.
type NoReleaseError struct {
	Place  input.PositionError
	Tangle *solve.Tangle
}

func (e *NoReleaseError) Error() string { return e.Place.Error() }

func (e *NoReleaseError) Unwrap() error { return e.Tangle }

// explain says of a tangle with a single declared demand which line it is, and what is published near it.
func explain(ctx context.Context, a *open.Question, err error) error {
	var t *solve.Tangle
	if !errors.As(err, &t) || len(t.Demands) != 1 || t.Demands[0].Kind != solve.Declared {
		return err
	}
	for _, e := range a.Manifest.Entries() {
		if d := t.Demands[0]; e.As == d.As && e.Group == d.Group {
			p, perr := a.Source.Package(ctx, e.Package)
			if perr != nil {
				return err
			}
			if hidden, err := project.Hidden(ctx, a.Source, a.Application(), e.Package); err == nil && hidden != "" {
				return &NoReleaseError{input.PositionError{File: e.File, Line: e.Line, Column: e.Column,
					Reason: fmt.Sprintf("%s: no release that may be used fits %q: %s", e.As, e.Text, hidden)}, t}
			}
			return &NoReleaseError{input.PositionError{File: e.File, Line: e.Line, Column: e.Column,
				Reason: fmt.Sprintf("%s: no published release fits %q; nearest are %s", e.As, e.Text, nearestReleases(p, e.Text))},
				t}
		}
	}
	return err
}

// nearestReleases names the releases on both sides of the first version that a constraint mentions.
func nearestReleases(p *universe.Package, constraint string) string {
	if p.Len() == 0 {
		return "none: it has no releases"
	}
	at := p.Len()
	if named := version.Mentions(p.Scheme, constraint); len(named) > 0 {
		if i := slices.IndexFunc(p.Versions(), func(v version.Version) bool { return v.Compare(named[0]) >= 0 }); i >= 0 {
			at = i
		}
	}
	var near []string
	for i := max(0, at-2); i < min(p.Len(), at+2); i++ {
		near = append(near, p.Version(i).String())
	}
	return strings.Join(near, ", ")
}

// Verify compares manifest, lock, what is installed, the runtimes and the rules about names,
// without asking a registry. That nothing is installed is no finding.
func Verify(ctx context.Context, a *open.View) ([]open.Finding, error) {
	if a.Lock == nil {
		return []open.Finding{{About: "lock", Says: fact.New(doc.LockMissing, a.LockFile())}}, nil
	}
	graph := func() ([]open.Finding, error) { return checkRoots(a), nil }
	if !a.Lock.Edgeless {
		frameworks := a.Frameworks() // which reads the plan
		graph = sideBySide(func() ([]open.Finding, error) { return checkGraph(ctx, a, frameworks) })
	}
	found := Drift(a)
	note := func(about string, kind fact.Kind, of ...any) {
		found = append(found, open.Finding{About: about, Says: fact.New(kind, of...)})
	}
	for _, says := range append(open.Strayed(a), open.Misplaced(a)...) {
		found = append(found, open.Finding{About: "lock", Says: says})
	}
	if !a.Lock.Edgeless {
		for _, says := range open.Outside(a, a.Lock) {
			note("lock", doc.NotOfRegistry, says)
		}
	}
	for _, c := range contradicting(ctx, a) {
		note("checksum", doc.ChecksumDiffers, c.Release, c.Locked, fact.New(c.where), c.Stated)
	}
	says, err := graph()
	if err != nil {
		return nil, err
	}
	found = append(found, says...)
	tree, err := a.Installed()
	if err != nil {
		return nil, err
	}
	if tree != nil {
		files, err := checkFiles(ctx, a)
		if err != nil {
			return nil, err
		}
		found = slices.Concat(found, CheckInstalled(a, tree), open.CheckOutside(a, tree), files)
	}
	return slices.Concat(found, checkRuntimes(ctx, a, tree != nil), checkRules(ctx, a)), nil
}

// sideBySide begins something, and returns how to wait for what it comes to.
func sideBySide[T any](do func() (T, error)) func() (T, error) {
	var got T
	var err error
	done := make(chan struct{})
	go func() {
		defer close(done)
		got, err = do()
	}()
	return func() (T, error) {
		<-done
		return got, err
	}
}

// Drift says how the lock differs from what the manifest asks for.
func Drift(a *open.View) (found []open.Finding) {
	note := func(about string, kind fact.Kind, of ...any) {
		found = append(found, open.Finding{About: about, Says: fact.New(kind, of...)})
	}
	line := func(e ecosystem.Entry, kind fact.Kind, of ...any) {
		found = append(found, open.Finding{About: "manifest", Says: fact.New(doc.AtLine, e.File, e.Line, fact.New(kind, of...)),
			File: e.File, Line: e.Line, Column: e.Column})
	}
	var gone ecosystem.Forks // of environments, or choices, that there are no longer
	if len(a.Lock.Forks) > 0 && open.ForksOf(a, a.Lock) == nil {
		gone = a.Lock.Forks
		note("lock", doc.ForksUnnamed, strings.Join(slices.Sorted(maps.Keys(gone)), ", "))
	}
	if !slices.EqualFunc(a.Lock.Alternatives, a.Alternatives, slices.Equal) {
		note("lock", doc.OtherChoices)
	}
	locked := map[[2]string]solve.Edge{}
	for _, r := range a.Lock.Roots {
		if gone[universe.Plain(r.Package)] == nil {
			locked[[2]string{r.Group, r.Name}] = r
		}
	}
	c, conditional := a.Eco.(ecosystem.Conditional)
	for _, e := range a.Manifest.Entries() {
		if conditional && !c.Holds(e.When, a.Environments()) || gone[e.Package] != nil {
			continue
		}
		d := a.Stated(e)
		key := [2]string{e.Group, d.As}
		was, ok := locked[key]
		delete(locked, key)
		switch {
		case !ok:
			line(e, doc.NotLockedSo, e.As, e.Text)
		case was.Constraint != e.Text || was.Package != d.Package:
			line(e, doc.LockedForOther, e.As, e.Text, was.Constraint)
		}
		for _, more := range d.Roots(d.Root(), d.Text, a.Eco.Scheme().Any())[1:] {
			key := [2]string{e.Group, more.As}
			if _, ok := locked[key]; !ok && !a.Lock.Edgeless {
				line(e, doc.NotLocked, more.As)
			}
			delete(locked, key)
		}
	}
	for _, o := range a.Manifest.Overrides() {
		if was, there := a.Lock.Overrides[o.Key()]; !there || was != o.Written {
			note("manifest", doc.OverrideAnew, a.Manifest.Chief(), o.Key(), o.Written)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(a.Lock.Overrides)) {
		if _, there := open.Written(a.Manifest.Overrides())[name]; !there {
			note("lock", doc.OverrideGone, name, a.Manifest.Chief())
		}
	}
	now, _ := a.Config.Waived(a.Now())
	for _, key := range slices.Sorted(maps.Keys(a.Lock.Waived)) {
		if _, there := open.Waived(now)[key]; !there {
			note("lock", doc.WaiverGone, key, a.Lock.Waived[key])
		}
	}
	linked := a.Manifest.Linked()
	for _, folder := range slices.Sorted(maps.Keys(linked)) {
		if a.Lock.Members[folder] != linked[folder] {
			note("manifest", doc.MemberSince, folder, linked[folder])
		}
	}
	for _, folder := range slices.Sorted(maps.Keys(a.Lock.Members)) {
		if linked[folder] == "" {
			note("lock", doc.MemberGone, folder)
		}
	}
	for _, r := range a.Lock.Roots {
		if _, left := locked[[2]string{r.Group, r.Name}]; left && !(a.Lock.Edgeless && universe.Plain(r.Name) != r.Name) {
			note("lock", doc.NoLongerAsked, r.Name, r.Group)
		}
	}
	return found
}

// checkRoots says which declarations the lock does not serve. It is what there is to check in a
// lock that does not tell what packages need.
func checkRoots(a *open.View) (found []open.Finding) {
	resolution := a.Lock.Resolution()
	for _, r := range a.Lock.Roots {
		if r.Foreign || r.Optional && r.To == "" {
			continue
		}
		var says fact.Fact
		c, err := a.Eco.Scheme().Constrain(r.Constraint)
		if n := resolution.Root(r.Name); n == nil {
			says = fact.New(doc.NotLocked, r.Name)
		} else if v, bad := a.Eco.Scheme().Parse(n.Version); err == nil && (bad != nil || !version.Admits(c, v)) {
			says = fact.New(doc.LockedOffRange, r.Name, r.Constraint, n.Version)
		}
		if !says.None() {
			found = append(found, open.Finding{About: "lock", Says: says})
		}
	}
	return found
}

// Unknown says what nobody can verify in this application, "" for nothing.
func Unknown(a *open.View) string {
	if a.Lock == nil || !a.Lock.Edgeless {
		return ""
	}
	return a.LockFile() + " does not tell what its packages need, so nobody can tell from it whether they suit each " +
		"other or why one is there; molt relock --dry-run asks the registry"
}

// checkGraph says how the lock contradicts itself.
func checkGraph(ctx context.Context, a *open.View, frameworks []string) (found []open.Finding, err error) {
	note := func(kind fact.Kind, of ...any) {
		found = append(found, open.Finding{About: "lock", Says: fact.New(kind, of...)})
	}
	table, err := a.Lock.Universe(a.Eco)
	if err != nil {
		return nil, err
	}
	problem := solve.Problem{Strategy: a.Eco.Strategy(), Outside: slices.Sorted(maps.Values(a.Lock.Members))}
	resolution := a.Lock.Resolution()
	for _, name := range frameworks {
		root := resolution.Root(name)
		if root == nil {
			continue
		}
		versions := resolution.Versions()[root.Name]
		slices.Sort(versions)
		// a member of a workspace is at another major still
		apart := slices.ContainsFunc(a.Lock.Roots, func(e solve.Edge) bool { return e.Own == name })
		if versions = slices.Compact(versions); len(versions) > 1 && apart {
			continue
		} else if len(versions) > 1 {
			note(doc.FrameworkTwice, name, strings.Join(versions, " and "))
		} else {
			problem.Single = append(problem.Single, name)
		}
	}
	for _, r := range a.Lock.Roots {
		problem.Roots = append(problem.Roots,
			solve.Root{Group: r.Group, Apart: r.Apart, Own: r.Own, Demand: universe.Demand{As: r.Name, Package: r.Package,
				Text: r.Constraint, Optional: r.Optional, Foreign: r.Foreign}})
	}
	if err := solve.Verify(ctx, table, problem, resolution); err != nil {
		note(doc.SelfContradicts, err.Error())
	}
	return found, nil
}

// WriteLock puts a lock on disk.
func WriteLock(a *open.View, data []byte) error {
	return a.Files.WriteFiles("relock", map[string][]byte{a.LockFile(): data})
}
