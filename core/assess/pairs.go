package assess

import (
	"reflect"
	"slices"
	"sync"
	"time"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
)

// A pairing is how far dates count between packages, and not only towards the framework: what a release needs of another
// one without an end is no promise about majors that were born after it. How far that can be kept is found out once for
// a goal.
type pairing int

const (
	noPairs  pairing = iota // what is left open is believed
	ownPairs                // but for what the framework itself needs
	allPairs                // nothing that is left open is believed of a major that came later
)

// paired returns a source in which open demands end with the majors that existed when the release was published, or that
// the application has in use. It is a view for choosing; locks are made from the source below.
func (a *Question) paired(source universe.Source) universe.Source {
	if a.pairs == noPairs || a.Base == nil {
		return source
	}
	type key struct {
		universe.Source
		pairing
	}
	if !reflect.TypeOf(source).Comparable() { // a table of a test
		return a.pairedAnew(source)
	}
	known, ok := a.memo.statements.Load(key{source, a.pairs})
	if !ok {
		known, _ = a.memo.statements.LoadOrStore(key{source, a.pairs}, a.pairedAnew(source))
	}
	return known.(universe.Source)
}

func (a *Question) pairedAnew(source universe.Source) universe.Source {
	locked := a.Base.Versions()
	framework := a.Declaration(a.Goal.Name).Package
	var bounded sync.Map // by the text of a constraint
	open := func(text string) bool {
		known, ok := bounded.Load(text)
		if !ok {
			c, err := a.App.Scheme.Constrain(text)
			known = err != nil || c.Bounded()
			bounded.Store(text, known)
		}
		return !known.(bool)
	}
	return universe.Changed(source, func(p *universe.Package) (*universe.Package, error) {
		if _, extra := universe.SplitExtra(p.Name); extra != "" || a.pairs == ownPairs && p.Name != framework || p.Len() == 0 || p.Published(p.Len()-1).IsZero() {
			return p, nil // the short documents of packages that nobody declares have no dates
		}
		if a.App.Tenancy != solve.Single && a.declaredAs(p.Name) == "" {
			return p, nil // whoever needs another release of what it needs gets its own
		}
		rewrite := func(i int, all []universe.Demand) []universe.Demand {
			if !slices.ContainsFunc(all, func(d universe.Demand) bool {
				return len(locked[d.Package]) > 0 && !d.Foreign && d.Package != framework && open(d.Text)
			}) {
				return all // and the release need not be read
			}
			day := p.Published(i)
			if day.IsZero() {
				return all
			}
			all = slices.Clone(all)
			for k := range all {
				d := &all[k]
				if d.Foreign || d.Package == framework || len(locked[d.Package]) == 0 || !open(d.Text) {
					continue
				}
				if until, ok := a.knownUntil(source, d.Package, locked[d.Package], day); ok {
					d.Text = universe.AsOf(d.Text, until)
				}
			}
			return all
		}
		return p.Rewritten(rewrite, rewrite), nil
	})
}

// knownUntil returns the day until which majors of a package count for a release of another one: that of the release, or
// the one when the major in use was born; false where dates tell nothing.
func (a *Question) knownUntil(source universe.Source, name string, locked []string, day time.Time) (time.Time, bool) {
	p, err := universe.LookUp(a.Ctx, source, name)
	if err != nil || p == nil || !inOrder(p) {
		return day, false
	}
	for _, v := range locked {
		i := p.Index(v)
		if i < 0 {
			return day, false
		}
		if born := p.Born(i); born.IsZero() {
			return day, false
		} else if born.After(day) {
			day = born
		}
	}
	return day, true
}

// pairUp decides how far dates between packages are kept: as far as the goal can be reached.
func (a *Question) pairUp() error {
	for _, a.pairs = range []pairing{allPairs, ownPairs} {
		a.Source = a.paired(a.Full)
		c := Choice{a.Goal.Name: a.meant}
		for _, name := range a.Names() {
			if name == a.Goal.Name {
				continue
			}
			p, err := a.Pkg(name)
			if err != nil {
				return err
			}
			if gone := a.RetirementOf(p); gone != nil && gone.Kind != project.Abandoned {
				continue
			}
			c[name] = a.towards(name, p, Texts(p, ahead(p, a.choosable(name, p, a.Locked(name)), a.Locked(name))), a.meant)
		}
		if r, _, err := a.Solve(c, a.Base.Versions()); err != nil || r != nil {
			return err
		}
	}
	a.pairs, a.Source = noPairs, a.Full
	return nil
}

// Trusting returns the question without dates between packages.
func (a *Question) Trusting() *Question {
	other := *a
	other.pairs = noPairs
	other.view()
	return &other
}
