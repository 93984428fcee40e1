package ask

import (
	"molt/core/inspect"
	"molt/core/universe"
	"molt/core/version"
	"molt/doc"
)

// NewRange makes a document without versions.
func NewRange(ecosystem, constraint string) doc.Range {
	return doc.Range{Schema: "molt/range/1", Ecosystem: ecosystem, Constraint: constraint, Admits: []string{}, Refuses: []string{}}
}

// Published puts the releases of a package into the document.
func Published(answer *doc.Range, name string, p *universe.Package, set version.Set) {
	answer.Of = name
	bounded := true
	if c, err := p.Scheme.Constrain(answer.Constraint); err == nil {
		bounded = c.Bounded()
	}
	answer.Bounded = &bounded
	at := map[string]int{} // lanes by major
	var admitted []version.Set
	for i, v := range p.Versions() {
		major := p.Scheme.Major(v)
		k, ok := at[major]
		if !ok {
			k = len(answer.Lanes)
			at[major] = k
			answer.Lanes, admitted = append(answer.Lanes, doc.Lane{Major: major}), append(admitted, version.NewSet(len(p.Releases)))
		}
		l := &answer.Lanes[k]
		l.Of++
		if set.Has(i) {
			answer.Admits = append(answer.Admits, v.String())
			admitted[k].Add(i)
			l.Admitted++
			l.Marks += "#"
			if p.Releases[i].Deprecated == "" && !v.Prerelease() {
				answer.Today = v.String()
			}
			continue
		}
		answer.Refuses = append(answer.Refuses, v.String())
		if v.Prerelease() {
			l.Hidden++
			continue
		}
		l.Marks += "."
		if last := set.Max(); answer.Refused == "" && last >= 0 && i > last {
			answer.Refused = v.String()
		}
	}
	for k := range answer.Lanes {
		answer.Lanes[k].Runs = p.Versions().Describe(admitted[k])
	}
	if last := set.Max(); answer.Today == "" && last >= 0 {
		answer.Today = p.Releases[last].Version.String()
	}
}

// Advise puts advice into the document; nil for none that is needed.
func Advise(answer *doc.Range, a *inspect.Advice) {
	answer.Advice = &doc.Advice{Constraint: answer.Constraint, Reason: "it admits the newest release that resolves with the rest, and stops before the next major", Breaking: false}
	if a != nil {
		answer.Advice = &doc.Advice{Constraint: a.Constraint, Reason: a.Reason, Breaking: a.Breaking}
	}
}
