package app

import (
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"molt/core/universe"
	"molt/core/upgrade"
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
func (h HouseRules) rules(now time.Time) upgrade.Rules {
	oldest, _ := age(h.Oldest) // looked at when it was read
	return upgrade.Rules{Allow: h.Packages.Allow, Refuse: h.Packages.Refuse, AllowLicences: h.Licences.Allow,
		RefuseLicences: h.Licences.Refuse, Oldest: oldest, Now: now, Evidence: upgrade.Grade(h.Evidence)}
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

func (h HouseRules) valid(fail func(value, reason string) error) error {
	if _, err := age(h.Oldest); err != nil {
		return fail(h.Oldest, err.Error())
	}
	for _, pattern := range slices.Concat(h.Packages.Allow, h.Packages.Refuse) {
		if _, err := path.Match(pattern, ""); err != nil {
			return fail(pattern, "expected a name, in which * stands for any letters")
		}
	}
	if h.Evidence != "" && !slices.Contains(upgrade.Grades, upgrade.Grade(h.Evidence)) {
		return fail(h.Evidence, "expected a grade of evidence: stated, early or open")
	}
	return nil
}

// checkRules says which locked packages break the rules of the house, as far as a lock tells.
func (a *App) checkRules() []Finding {
	rules := a.Config.Rules.rules(a.now())
	rules.AllowLicences, rules.RefuseLicences, rules.Oldest = nil, nil, 0
	var found []Finding
	for _, p := range a.Lock.Packages {
		if says := rules.Breach(p.Name, &universe.Release{}); says != "" {
			found = append(found, Finding{"rules", fmt.Sprintf("%s: %s", p.ID, says)})
		}
	}
	return found
}
