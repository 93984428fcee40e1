package config

import (
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"molt/core/project"
)

// Policy is what may be used, under "rules:" of molt.yaml.
type Policy struct {
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
	Digests  string `yaml:"digests"`  // "strong" refuses releases of which the registry states SHA-1 only
}

// Rules gives the core the rules.
func (h Policy) Rules(now time.Time) project.Policy {
	oldest, _ := age(h.Oldest) // looked at when it was read
	return project.Policy{Allow: h.Packages.Allow, Refuse: h.Packages.Refuse, AllowLicences: h.Licences.Allow,
		RefuseLicences: h.Licences.Refuse, Oldest: oldest, Now: now, Evidence: project.Grade(h.Evidence)}
}

// Detailed reports whether the rules need what registries give in longer documents only.
func (h Policy) Detailed() bool {
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

func (h Policy) valid(bad func(value, reason string, where ...any) error) error {
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
	if h.Digests != "" && h.Digests != StrongDigests {
		return bad(h.Digests, "expected strong: that no release counts of which the registry states SHA-1 alone", "rules",
			"digests")
	}
	return nil
}

// StrongDigests is what the rule on digests says.
const StrongDigests = "strong"
