package assess

import (
	"slices"
	"strings"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
)

// Interpreting returns the question for what nothing needs to move: later releases interpret earlier ones between all
// declared packages, and not only towards the framework. What stands in one resolution works together.
func (a *Judgement) Interpreting(now *solve.Resolution) *Judgement {
	other := *a
	other.Source = a.interpreted(a.Source, now)
	return &other
}

// interpreted returns a source in which later releases of declared packages interpret earlier ones
// towards each other, as rule 3 has it towards the framework: where a later release has a peer on
// another declared package with an end, the silence or the open range of an earlier one is no
// promise about majors that are newer than any of them admits. It is a view for choosing; locks are
// made from the source below. Where it costs requests to look at releases, nothing is interpreted.
func (a *Judgement) interpreted(source universe.Source, now *solve.Resolution) universe.Source {
	if a.App.Strategy.Single {
		return source
	}
	framework := a.Declaration(a.Goal.Name).Package
	return universe.Changed(source, func(p *universe.Package) (*universe.Package, error) {
		if p.IsCostly() || p.Name == framework || a.declaredAs(p.Name) == "" {
			return p, nil
		}
		// by package: the constraint of the newest release that has one with an end, and its position
		until, from := map[string]string{}, map[string]int{}
		for _, name := range p.PeerNames() {
			other := a.declaredAs(name)
			if other == "" || name == framework || a.kin.siblings[name] {
				continue
			}
			for i := p.Len() - 1; i > 0; i-- {
				k := slices.IndexFunc(p.Peers(i), func(d universe.Demand) bool { return d.Package == name })
				if k < 0 || p.Version(i).Prerelease() {
					continue
				}
				text := p.Peers(i)[k].Text
				if c, err := a.App.Scheme.Constrain(text); err == nil && c.Bounded() {
					until[name], from[name] = universe.OrOlder(text), i
				}
				break // the newest that speaks
			}
			q, err := universe.LookUp(a.Ctx, source, name)
			if err != nil {
				return nil, err
			}
			if until[name] != "" && q != nil { // what is in use beyond that works
				if set, err := q.Admit(until[name]); err != nil || !set.Has(q.Index(project.VersionOf(now, other))) {
					delete(until, name)
				}
			}
		}
		if len(until) == 0 {
			return p, nil
		}
		return p.Rewritten(nil, func(i int, all []universe.Demand) []universe.Demand {
			made := slices.Clone(all)
			for name, text := range until {
				if i >= from[name] || slices.ContainsFunc(p.Needs(i), func(d universe.Demand) bool { return d.As == name }) {
					continue
				}
				k := slices.IndexFunc(made, func(d universe.Demand) bool { return d.Package == name })
				if k < 0 {
					made = append(made, universe.Demand{As: name, Package: name, Text: text, Optional: true})
				} else if c, err := a.App.Scheme.Constrain(made[k].Text); err == nil && !c.Bounded() {
					made[k].Text = text
				}
			}
			slices.SortFunc(made, func(x, y universe.Demand) int { return strings.Compare(x.As, y.As) })
			return made
		}), nil
	})
}
