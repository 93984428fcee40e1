package locking

import (
	"context"

	"molt/app/open"
	"molt/archive"
	"molt/core/fact"
	"molt/core/universe"
	"molt/doc"
	"molt/ecosystem"
)

// A contradiction is a release of the lock of which something else states another checksum.
type contradiction struct {
	ecosystem.ChangedIntegrity
	where fact.Kind
}

// contradicting compares the checksums of the lock with each other (a release may stand in several
// places), and with what the cache holds of the registry's documents. It asks no registry; what
// cannot be read contradicts nothing.
func contradicting(ctx context.Context, a *open.View) []contradiction {
	var all []contradiction
	found := map[string]bool{}
	note := func(release, locked, stated string, where fact.Kind) {
		if archive.Differ(locked, stated) && !found[release] {
			found[release] = true
			all = append(all, contradiction{ecosystem.ChangedIntegrity{Release: release, Locked: locked, Stated: stated}, where})
		}
	}
	seen := map[string]string{}
	for _, p := range a.Lock.Packages {
		release := p.Name + "@" + p.Version
		if was, again := seen[release]; again {
			note(release, was, p.Integrity, doc.AnotherPlace)
		}
		seen[release] = p.Integrity
	}
	held, err := a.Offline().Ask(ctx, nil)
	if err != nil {
		return all
	}
	defer held.Close()
	packages := map[string]*universe.Package{}
	for _, p := range a.Lock.Packages {
		if p.Integrity != "" {
			held.Source.Hint(p.Name)
		}
	}
	for _, p := range a.Lock.Packages {
		if p.Integrity == "" || open.Addressed(a, p.Name) { // nothing to compare with
			continue
		}
		known, looked := packages[p.Name]
		if !looked {
			known, _ = held.Source.Package(ctx, p.Name) // nil for what the cache does not hold
			packages[p.Name] = known
		}
		if known == nil {
			continue
		}
		if r := known.Release(p.Version); r != nil {
			note(p.Name+"@"+p.Version, p.Integrity, r.File().Integrity, doc.LastAnswer)
		}
	}
	return all
}
