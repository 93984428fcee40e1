package open

import (
	"maps"
	"slices"
	"strings"

	"molt/app/config"
	"molt/core/fact"
	"molt/core/universe"
	"molt/doc"
	"molt/ecosystem"
	"molt/registry"
)

// Where packages come from is part of what a lock says: a scope that suddenly comes from elsewhere
// is how a private name is taken over by a public one. A lock has the addresses that people named
// in the configuration. What a variable of the environment says is the business of one machine,
// such as a mirror, and no part of it.

// UsualOrigin is the key of the registry for all packages that no scope or pattern is about.
const UsualOrigin = "default"

// Origins returns the addresses that the configuration names, by key; nil for none.
func Origins(a *View) map[string]string {
	var all map[string]string
	note := func(key, address string) {
		if all == nil {
			all = map[string]string{}
		}
		if u, err := registry.ParseAddress(address); err == nil {
			all[key] = u.String()
		}
	}
	usual, _, keys := RegistryKeys(a)
	if usual != "" {
		note(UsualOrigin, usual)
	}
	for _, key := range keys {
		note(key, a.Config.Registry.Some[key])
	}
	return all
}

// Strayed says how packages of the lock would come from elsewhere than when they were locked. A
// lock without origins tells nothing.
func Strayed(a *View) []fact.Fact {
	if a.Lock == nil || len(a.Lock.Origins) == 0 {
		return nil
	}
	was, is := a.Lock.Origins, Origins(a)
	said := map[string]bool{}
	var all []fact.Fact
	for i := range a.Lock.Packages {
		name := universe.Plain(a.Lock.Packages[i].Name)
		before, now := OriginKey(was, name), OriginKey(is, name)
		from, to := was[before], is[now]
		if from == to || from == "" || to == "" && before == UsualOrigin || said[before+"\n"+now] {
			continue
		}
		said[before+"\n"+now] = true
		about := fact.New(doc.PackagesOf, before)
		if before == UsualOrigin {
			about = fact.New(doc.PackagesLike, name)
		}
		moved := fact.New(doc.OriginMoved, about, from, config.File, to)
		if to == "" {
			moved = fact.New(doc.OriginMovedEnv, about, from, config.File)
		}
		all = append(all, moved)
	}
	return all
}

// OriginKey returns which of some origins is that of a package: of several patterns the longest.
func OriginKey(origins map[string]string, name string) string {
	found := UsualOrigin
	for _, key := range slices.Sorted(maps.Keys(origins)) {
		if key != UsualOrigin && registry.Matches(key, name) && (found == UsualOrigin || len(key) > len(found)) {
			found = key
		}
	}
	return found
}

// Misplaced says which archives are locked at the registry for all other packages, though their
// names belong to one of their own.
func Misplaced(a *View) []fact.Fact {
	is := Origins(a)
	usual := is[UsualOrigin]
	var all []fact.Fact
	for _, p := range a.Lock.Packages {
		key := OriginKey(is, universe.Plain(p.Name))
		if key == UsualOrigin || usual == "" || strings.HasPrefix(is[key]+"/", strings.TrimSuffix(usual, "/")+"/") {
			continue
		}
		if strings.HasPrefix(p.Source, strings.TrimSuffix(usual, "/")+"/") {
			all = append(all, fact.New(doc.OriginStrange, p.ID, p.Source, key, is[key]))
		}
	}
	return all
}

// SettledOrigin is an *ecosystem.OriginError where packages would come from elsewhere and nobody
// said that this is meant.
func SettledOrigin(a *View) error {
	if a.Lock == nil || a.Settings.AcceptOrigin {
		return nil
	}
	var changed []string
	for _, f := range append(Strayed(a), Misplaced(a)...) {
		changed = append(changed, a.Say(f).Words)
	}
	if changed != nil {
		return &ecosystem.OriginError{Changed: changed}
	}
	return nil
}
