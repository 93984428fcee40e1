package ask

import (
	"context"
	"errors"
	"slices"

	"molt/core/inspect"
	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
	"molt/doc"
	"molt/ecosystem"
)

// newRange makes a document without versions.
func newRange(eco, constraint string) doc.Range {
	return doc.Range{Schema: "molt/range/1", Ecosystem: eco, Constraint: constraint, Admits: []string{},
		Refuses: []string{}}
}

// published puts the releases of a package into the document.
func published(answer *doc.Range, name string, p *universe.Package, set version.Set) {
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
			answer.Lanes, admitted = append(answer.Lanes, doc.Lane{Major: major}), append(admitted, version.NewSet(p.Len()))
		}
		l := &answer.Lanes[k]
		l.Of++
		if set.Has(i) {
			answer.Admits = append(answer.Admits, v.String())
			admitted[k].Add(i)
			l.Admitted++
			l.Marks += "#"
			if !p.Deprecated(i) && !v.Prerelease() {
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
		answer.Today = p.Version(last).String()
	}
}

// adviseRange puts advice into the document; nil for none that is needed.
func adviseRange(answer *doc.Range, a *inspect.Advice) {
	answer.Advice = &doc.Advice{Constraint: answer.Constraint,
		Reason: doc.Said(doc.AdmitsNewest), Breaking: false}
	if a != nil {
		answer.Advice = &doc.Advice{Constraint: a.Constraint, Reason: doc.SentenceOf(a.Reason), Breaking: a.Breaking}
	}
}

// Range puts a constraint to versions, by the rule of an ecosystem.
func Range(e ecosystem.Ecosystem, constraint string, texts []string) (doc.Range, error) {
	c, err := e.Scheme().Constrain(constraint)
	if err != nil {
		return doc.Range{}, err
	}
	var versions version.List
	for _, text := range texts {
		v, err := e.Scheme().Parse(text)
		if err != nil {
			return doc.Range{}, err
		}
		versions = append(versions, v)
	}
	slices.SortStableFunc(versions, version.Version.Compare)
	answer := newRange(e.Name(), constraint)
	admitted := c.Admit(versions)
	for i, v := range versions {
		if admitted.Has(i) {
			answer.Admits = append(answer.Admits, v.String())
		} else {
			answer.Refuses = append(answer.Refuses, v.String())
		}
	}
	return answer, nil
}

// RangeOf puts a constraint to the published releases of a package, and may advise on a nearer constraint.
func (s *Session) RangeOf(ctx context.Context, constraint, of string, advise bool) (doc.Range, error) {
	of = s.name(of)
	var names []string
	name := of
	for _, d := range s.App.Declared() {
		names = append(names, d.As)
		if d.As == of {
			name = d.Package
		}
	}
	p, err := s.App.Source.Package(ctx, name)
	if err != nil {
		return doc.Range{}, project.UnknownName(err, of, names)
	}
	settling, err := s.settling(ctx, name)
	if err != nil {
		return doc.Range{}, err
	}
	set, err := p.Admit(constraint)
	if err != nil {
		return doc.Range{}, err
	}
	answer := newRange(s.App.Eco.Name(), constraint)
	answer.Settling = settling
	published(&answer, of, p, set)
	if !advise {
		return answer, nil
	}
	advice, err := inspect.Advise(ctx, s.App.Source, s.App.Application(), of, constraint)
	var bad *version.Error
	if err != nil && !errors.As(err, &bad) { // a tag has no neighbours
		return doc.Range{}, err
	}
	adviseRange(&answer, advice)
	return answer, nil
}
