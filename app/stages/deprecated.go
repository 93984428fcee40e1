package stages

import (
	"path"
	"regexp"
	"slices"
	"strings"

	"molt/app/open"
	"molt/app/run"
	"molt/core/project"
	"molt/ecosystem"
)

// Deprecations collects the warnings of checks that ran on the state as it is, by package.
func Deprecations(a *open.View) ([]Deprecation, error) {
	state, err := state(a)
	if err != nil {
		return nil, err
	}
	c, err := a.Runner().Remembered()
	if err != nil || c.State != state {
		return nil, err
	}
	return deprecations(a, c.Verdicts), nil
}

func deprecations(a *open.View, verdicts []run.Verdict) (all []Deprecation) {
	var seen []string
	for _, v := range verdicts {
		for _, says := range v.Warnings {
			if slices.Contains(seen, says) {
				continue
			}
			seen = append(seen, says)
			name := warned(a, says)
			i := slices.IndexFunc(all, func(d Deprecation) bool { return d.Name == name })
			if i < 0 {
				i, all = len(all), append(all, Deprecation{Name: name})
			}
			all[i].Says = append(all[i].Says, says)
		}
	}
	slices.SortFunc(all, func(x, y Deprecation) int { // what names no package comes last
		if (x.Name == "") != (y.Name == "") {
			return strings.Compare(y.Name, x.Name)
		}
		return strings.Compare(x.Name, y.Name)
	})
	return all
}

var (
	// inFolder is the path of a file of an installed package.
	inFolder = regexp.MustCompile(`(?:node_modules|site-packages)/((?:@[\w.-]+/)?[\w.-]+)`)
	// inProcess is how a runtime names itself before what it says: "(node:4711)".
	inProcess = regexp.MustCompile(`^\((\w+):\d+\)`)
)

// warned returns the declared package, or the runtime, that a warning is about: the longest name that it has, else the
// package in whose files it was found; "" for none.
func warned(a *open.View, says string) string {
	best := ""
	for _, d := range a.Declared() {
		name := project.OwnName(d.As)
		if len(name) > len(best) && names(strings.ToLower(inFolder.ReplaceAllString(says, "")), strings.ToLower(name)) {
			best = name
		}
	}
	if best != "" {
		return best
	}
	if m := inFolder.FindStringSubmatch(says); m != nil {
		return a.Canonical(strings.TrimSuffix(m[1], path.Ext(m[1])))
	}
	if m := inProcess.FindStringSubmatch(says); m != nil &&
		slices.ContainsFunc(ecosystem.Runtimes(a.Eco), func(r ecosystem.Runtime) bool { return r.Name == m[1] }) {
		return m[1]
	}
	return ""
}
