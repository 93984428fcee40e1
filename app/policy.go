package app

import (
	"context"
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"molt/core/project"
	"molt/core/universe"
)

// HouseRules are the rules of the house, as molt.yaml has them.
type HouseRules struct {
	Packages struct {
		Allow  []string `yaml:"allow"`
		Refuse []string `yaml:"refuse"`
	} `yaml:"packages"`
	Licences struct {
		Allow  []string `yaml:"allow"`
		Refuse []string `yaml:"refuse"`
	} `yaml:"licences"`
	Oldest   string `yaml:"oldest"`   // how old a release may be, as "3 years"
	Evidence string `yaml:"evidence"` // the weakest grade that counts
}

// rules gives the core the rules.
func (h HouseRules) rules(now time.Time) project.Policy {
	oldest, _ := age(h.Oldest) // looked at when it was read
	return project.Policy{Allow: h.Packages.Allow, Refuse: h.Packages.Refuse, AllowLicences: h.Licences.Allow,
		RefuseLicences: h.Licences.Refuse, Oldest: oldest, Now: now, Evidence: project.Grade(h.Evidence)}
}

// detailed reports whether the rules need what registries give in longer documents only.
func (h HouseRules) detailed() bool {
	return len(h.Licences.Allow)+len(h.Licences.Refuse) > 0 || h.Oldest != ""
}

// age reads a length of time such as "14 days" or "3 years"; "" is none.
func age(text string) (time.Duration, error) {
	if text == "" {
		return 0, nil
	}
	number, unit, _ := strings.Cut(text, " ")
	n, err := strconv.Atoi(number)
	days := map[string]int{"day": 1, "week": 7, "month": 30, "year": 365}[strings.TrimSuffix(unit, "s")]
	if err != nil || n < 0 || days == 0 {
		return 0, fmt.Errorf("expected a number of days, weeks, months or years, such as \"14 days\"")
	}
	return time.Duration(n*days) * 24 * time.Hour, nil
}

func (h HouseRules) valid(bad func(value, reason string, path ...any) error) error {
	if _, err := age(h.Oldest); err != nil {
		return bad(h.Oldest, err.Error(), "rules", "oldest")
	}
	for list, patterns := range map[string][]string{"allow": h.Packages.Allow, "refuse": h.Packages.Refuse} {
		for i, pattern := range patterns {
			if _, err := path.Match(pattern, ""); err != nil {
				return bad(pattern, "expected a name, in which * stands for any letters", "rules", "packages", list, i)
			}
		}
	}
	if h.Evidence != "" && !slices.Contains(project.Grades, project.Grade(h.Evidence)) {
		return bad(h.Evidence, "expected a grade of evidence: stated, early or open", "rules", "evidence")
	}
	return nil
}

// knownReleases looks releases up in what the cache holds, with dates and licences, when the rules need these; nil for what
// it does not hold. It asks no registry.
func (a *App) knownReleases(ctx context.Context) func(name, version string) *universe.Release {
	nothing := func(string, string) *universe.Release { return nil }
	if !a.Config.Rules.detailed() {
		return nothing
	}
	quiet := *a
	quiet.Settings.Offline = true
	source, done, err := quiet.Source(ctx, nil)
	if err != nil {
		return nothing
	}
	all := map[string]*universe.Package{}
	for _, p := range a.Lock.Packages {
		source.Hint(p.Name)
	}
	for _, p := range a.Lock.Packages {
		if all[p.Name] == nil {
			all[p.Name], _ = source.Package(ctx, p.Name) // nil for what is not held
		}
	}
	done()
	return func(name, version string) *universe.Release {
		if p := all[name]; p != nil {
			return p.Release(version)
		}
		return nil
	}
}

// checkRules says which locked packages break the rules of the house, as far as a lock tells.
func (a *App) checkRules(ctx context.Context) []Finding {
	whole := a.Config.Rules.rules(a.now())
	names := whole
	names.AllowLicences, names.RefuseLicences, names.Oldest = nil, nil, 0
	var found []Finding
	known := a.knownReleases(ctx)
	for _, p := range a.Lock.Packages {
		rules, release := names, &universe.Release{}
		if r := known(p.Name, p.Version); r != nil { // what the cache holds tells licences and dates too
			rules, release = whole, r
		}
		if says := rules.Breach(p.Name, release); says != "" {
			found = append(found, Finding{"rules", fmt.Sprintf("%s: %s", p.ID, says)})
		}
		if given, fixed := a.Fixed[p.Name]; fixed && given != p.Version {
			found = append(found, Finding{"rules", fmt.Sprintf("%s: %s gives %s %s", p.ID, a.Config.Fixed, p.Name, given)})
		}
	}
	return found
}
