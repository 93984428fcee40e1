package locking

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/app/config"
	"molt/app/open"
	"molt/archive"
	"molt/core/fact"
	"molt/core/universe"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
)

// knownReleases looks releases up in what the cache holds, with dates and licences, when the rules
// need these; nil for what it does not hold. It asks no registry.
func knownReleases(ctx context.Context, a *open.View) func(name, version string) *universe.Release {
	nothing := func(string, string) *universe.Release { return nil }
	if !a.Config.Rules.Detailed() {
		return nothing
	}
	held, err := a.Offline().Ask(ctx, nil)
	if err != nil {
		return nothing
	}
	defer held.Close()
	all := map[string]*universe.Package{}
	for _, p := range a.Lock.Packages {
		held.Source.Hint(p.Name)
	}
	for _, p := range a.Lock.Packages {
		if all[p.Name] == nil {
			all[p.Name], _ = held.Source.Package(ctx, p.Name) // nil for what is not held
		}
	}
	return func(name, version string) *universe.Release {
		if p := all[name]; p != nil {
			return p.Release(version)
		}
		return nil
	}
}

// checkRules says which locked packages break the policy, as far as a lock tells.
func checkRules(ctx context.Context, a *open.View) []open.Finding {
	whole := a.Config.Rules.Rules(a.Now())
	names := whole
	names.AllowLicences, names.RefuseLicences, names.Oldest = nil, nil, 0
	var found []open.Finding
	var unjudged []string
	known := knownReleases(ctx, a)
	for _, p := range a.Lock.Packages {
		rules, release := names, &universe.Release{}
		extra := universe.NameOf(p.Name).Extra
		if r := known(p.Name, p.Version); r != nil { // what the cache holds tells licences and dates too
			rules, release = whole, r
		} else if a.Config.Rules.Detailed() && extra == "" {
			unjudged = append(unjudged, p.ID)
		}
		if says := rules.Breach(p.Name, release); says != "" {
			found = append(found, open.Finding{About: "rules", Says: fact.New(doc.BreaksRule, p.ID, says)})
		}
		if archive.Weak(p.Integrity) && a.Config.Rules.Digests == config.StrongDigests {
			found = append(found, open.Finding{About: "rules", Says: fact.New(doc.WeakDigest, p.ID)})
		}
		if given, fixed := a.Fixed[p.Name]; fixed && given != p.Version {
			found = append(found, open.Finding{
				About: "rules", Says: fact.New(doc.GivenOtherwise, p.ID, a.Config.Fixed, p.Name, given)})
		}
	}
	if n := len(unjudged); n > 0 {
		says := fact.New(doc.OneUnjudged, unjudged[0])
		if n > 1 {
			says = fact.New(doc.SomeUnjudged, n, unjudged[0])
		}
		found = append(found, open.Finding{About: "rules", Says: says})
	}
	return found
}

// mostWeak is how many releases are named that have weak digests.
const mostWeak = 5

// weak names the releases of a lock of which the registry states SHA-1 only; "" for none.
func weak(l *ecosystem.Lock) string {
	var names []string
	for _, p := range l.Packages {
		if archive.Weak(p.Integrity) {
			names = append(names, p.ID)
		}
	}
	if n := len(names); n > mostWeak {
		names = append(names[:mostWeak], fmt.Sprintf("%d more", n-mostWeak))
	}
	return strings.Join(names, ", ")
}

// Weak warns of releases of which the registry states SHA-1 only; "" for none.
func Weak(a *open.View, l *ecosystem.Lock) string {
	names := weak(l)
	if names == "" {
		return ""
	}
	return fmt.Sprintf("the registry states SHA-1 alone of %s, which no longer proves what an archive is; \"rules: "+
		"{digests: strong}\" in %s refuses that", names, config.File)
}

// mostFileless is how many releases are named that have nothing but source.
const mostFileless = 6

// Fileless says which releases of a lock have no file that an environment for which the lock is can
// use as it is; "" for none. They are built where molt.yaml allows it.
func Fileless(a *open.View, l *ecosystem.Lock) string {
	teller, ok := a.Eco.(ecosystem.FileTeller)
	if !ok {
		return ""
	}
	var all []string
	for _, e := range l.Environments {
		var names []string
		for i := range l.Packages {
			p := &l.Packages[i]
			if name := universe.NameOf(p.Name); name.Extra == "" && !slices.Contains(a.Config.Build, name.Base()) &&
				teller.Fileless(p, e) {
				names = append(names, name.Base()+" "+p.Version)
			}
		}
		if names == nil {
			continue
		}
		if more := len(names) - mostFileless; more > 0 {
			names = append(names[:mostFileless], fmt.Sprintf("%d more", more))
		}
		what := "nothing but source for"
		for _, r := range slices.Sorted(maps.Keys(e.Runtimes)) {
			what += " " + r + " " + e.Runtimes[r]
		}
		if e.Platform != "" {
			what += " on " + e.Platform
		}
		all = append(all, what+": "+strings.Join(names, ", "))
	}
	if all == nil {
		return ""
	}
	return strings.Join(all, "; ") + "; \"build:\" in " + config.File + " lets them be built"
}

// StrongEnough is an error where the rules refuse weak digests and a lock has some.
func StrongEnough(a *open.View, l *ecosystem.Lock) error {
	names := weak(l)
	if names == "" || a.Config.Rules.Digests != config.StrongDigests {
		return nil
	}
	return &input.UsageError{Reason: fmt.Sprintf(
		"the registry states SHA-1 alone of %s, and \"digests: strong\" in %s refuses that", names, config.File)}
}
