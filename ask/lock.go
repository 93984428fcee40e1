package ask

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/app/locking"
	"molt/app/open"
	"molt/core/solve"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
)

// newLock makes the document of a lock.
func newLock(l *ecosystem.Lock) doc.Lock {
	answer := doc.Lock{Schema: "molt/lock/1", Ecosystem: l.Ecosystem, Folded: l.Folded, Roots: []doc.LockRoot{},
		Packages: []doc.LockedItem{}}
	for _, r := range l.Declarations() {
		answer.Roots = append(answer.Roots,
			doc.LockRoot{Name: r.Name, Group: r.Group, Constraint: r.Constraint, Package: id(r.To)})
	}
	for _, p := range l.Releases() {
		answer.Packages = append(answer.Packages,
			doc.LockedItem{ID: p.ID, Name: p.Name, Version: p.Version, PURL: p.PURL, Integrity: p.Integrity, Source: p.Source,
				Needs: lockEdges(p.Needs), Peers: lockEdges(p.Peers)})
	}
	for _, p := range l.Whole().Releases() {
		if !slices.ContainsFunc(answer.Packages, func(x doc.LockedItem) bool { return x.ID == p.ID }) {
			answer.Wider = append(answer.Wider, p.ID)
		}
	}
	return answer
}

// Inventory lists what the lock holds, with the licences that the registry states.
func (s *Session) Inventory(ctx context.Context) (doc.Inventory, error) {
	l := s.App.Lock
	if l == nil {
		return doc.Inventory{}, &input.UsageError{
			Reason: fmt.Sprintf("there is no %s; molt relock writes one", s.App.LockFile())}
	}
	answer := doc.Inventory{Lock: newLock(l), Licences: map[string]string{}, Purposes: ecosystem.Purposes(s.App.Eco, l)}
	for _, p := range answer.Packages {
		s.App.Source.Hint(p.Name)
	}
	missing, why := 0, error(nil)
	for _, p := range answer.Packages {
		pkg, err := s.App.Source.Package(ctx, p.Name)
		if ctx.Err() != nil {
			return answer, ctx.Err()
		}
		if err != nil {
			missing, why = missing+1, err
			continue
		}
		if i := pkg.Index(p.Version); i >= 0 {
			answer.Licences[p.ID] = pkg.At(i).Licence
		}
	}
	if missing > 0 {
		s.say("warning: the licences of %d packages are not known: %v", missing, why)
	}
	return answer, nil
}

func lockEdges(edges []solve.Edge) []doc.LockEdge {
	all := []doc.LockEdge{}
	for _, e := range edges {
		all = append(all, doc.LockEdge{Name: e.Name, Constraint: e.Constraint, Optional: e.Optional, Package: id(e.To)})
	}
	return all
}

func id(to string) *string {
	if to == "" {
		return nil
	}
	return &to
}

// newVerify makes the document of a verification.
func newVerify(found []open.Finding, installed bool) doc.Verify {
	answer := doc.Verify{Schema: "molt/verify/1", Agrees: len(found) == 0, Installed: installed, Findings: []doc.Finding{},
		OutOfDate: []string{}}
	for _, f := range found {
		answer.Findings = append(answer.Findings,
			doc.Finding{About: f.About, Says: doc.SentenceOf(f.Says), File: f.File, Line: f.Line, Column: f.Column})
		about := f.About
		if about == "manifest" { // which is what people wrote; the lock has to follow
			about = "lock"
		}
		if about != "checksum" && about != "rules" && !slices.Contains(answer.OutOfDate, about) {
			answer.OutOfDate = append(answer.OutOfDate, about)
		}
	}
	return answer
}

// Relock resolves the manifest and writes the lock, unless it is for show.
func (s *Session) Relock(ctx context.Context, dry bool, accepted []string) (doc.Lock, error) {
	for _, release := range accepted {
		if !locking.HasLocked(s.App.View, release) {
			return doc.Lock{}, &input.UsageError{
				Reason: fmt.Sprintf("--accept-checksum %s: expected NAME@VERSION of a release that is locked", release)}
		}
	}
	lock, data, err := locking.Relock(ctx, s.App, accepted...)
	if err != nil {
		return doc.Lock{}, s.explain(ctx, err)
	}
	outside := open.Outside(s.App.View, lock)
	if outside != nil {
		s.say("warning: what does not come from a registry is not locked: %s", strings.Join(outside, "; "))
	}
	for _, says := range []string{locking.Weak(s.App.View, lock), locking.Fileless(s.App.View, lock)} {
		if says != "" {
			s.say("warning: %s", says)
		}
	}
	if !dry {
		if err := locking.WriteLock(s.App.View, data); err != nil {
			return doc.Lock{}, err
		}
	}
	answer := newLock(lock)
	answer.Outside = outside
	return answer, nil
}

// RelockMerged resolves a conflict that git left in the lock or in the manifest of an application,
// and writes both, unless it is for show. It returns the names of the files that change.
func RelockMerged(ctx context.Context, set Settings, a *open.View,
	dry bool) (answer doc.Lock, files []string, err error) {
	var ends []func()
	if !dry {
		used, release, err := a.Take()
		if err != nil {
			return doc.Lock{}, nil, err
		}
		a, ends = used, append(ends, release)
	}
	s, err := newSession(ctx, set, Needs{}, a, ends)
	if err != nil {
		return doc.Lock{}, nil, err
	}
	defer s.Close()
	m, err := locking.Merge(ctx, s.App)
	if err != nil {
		return doc.Lock{}, nil, s.explain(ctx, err)
	}
	s.Still()
	if !dry {
		if err := locking.WriteMerged(a, m); err != nil {
			return doc.Lock{}, nil, err
		}
	}
	answer = newLock(m.Locked)
	answer.Took = m.Took
	return answer, append(slices.Sorted(maps.Keys(m.Manifests)), a.LockFile()), nil
}

// Verify checks that manifest, lock, what is installed and the runtime agree, or some of these (of doc.Abouts).
func Verify(ctx context.Context, a *open.View, only []string) (doc.Verify, []open.Finding, error) {
	found, err := locking.Verify(ctx, a)
	if err != nil {
		return doc.Verify{}, nil, err
	}
	if only != nil {
		found = slices.DeleteFunc(found, func(f open.Finding) bool { return !slices.Contains(only, f.About) })
	}
	installed, err := open.InstalledRoots(a)
	if err != nil {
		return doc.Verify{}, nil, err
	}
	answer := newVerify(found, installed != nil)
	answer.Looked = only
	if only == nil {
		answer.Looked = slices.Clone(doc.Abouts)
	}
	answer.Ecosystem = a.SideName()
	answer.Unknown = locking.Unknown(a)
	answer.Next = nextOfVerify(answer)
	return answer, found, nil
}
