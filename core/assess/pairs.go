package assess

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"sync"
	"time"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
)

// A pairing is for which packages dates count towards others too, and not only towards the
// framework: what a release needs of another package without an end is no promise about majors that
// were born after it. It is found out once for a goal, and a nil one stands for none.
type pairing struct {
	without map[string]bool // packages of which all that they leave open is believed
	key     string          // tells pairings apart
}

func newPairing(without map[string]bool) *pairing {
	return &pairing{without, fmt.Sprint(slices.Sorted(maps.Keys(without)))}
}

func (p *pairing) String() string {
	if p == nil {
		return "none"
	}
	return "all without " + p.key
}

// paired returns a source in which open demands end with the majors that existed when the release
// was published, or that the application has in use. It is a view for choosing; locks are made from
// the source below.
func (a *Judgement) paired(source universe.Source) universe.Source {
	if a.pairs == nil || a.Base == nil {
		return source
	}
	type key struct {
		universe.Source
		pairing string
	}
	if !reflect.TypeOf(source).Comparable() { // a table of a test
		return a.pairedAnew(source)
	}
	known, ok := a.memo.statements.Load(key{source, a.pairs.key})
	if !ok {
		known, _ = a.memo.statements.LoadOrStore(key{source, a.pairs.key}, a.pairedAnew(source))
	}
	return known.(universe.Source)
}

func (a *Judgement) pairedAnew(source universe.Source) universe.Source {
	locked := a.Base.Versions()
	framework := a.Declaration(a.Goal.Name).Package
	without := a.pairs.without
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
		if universe.NameOf(p.Name).Extra != "" || without[p.Name] || p.Len() == 0 ||
			p.Published(p.Len()-1).IsZero() {
			return p, nil // the short documents of packages that nobody declares have no dates
		}
		if !a.App.Strategy.Single && a.declaredAs(p.Name) == "" {
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

// knownUntil returns the day until which majors of a package count for a release of another one:
// that of the release, or the one when the major in use was born; false where dates tell nothing.
func (a *Judgement) knownUntil(source universe.Source, name string, locked []string, day time.Time) (time.Time, bool) {
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

// pairUp decides for which packages dates count towards others: for all but the fewest that it
// takes for the goal to be reached with what promises to go with it, and for none where it cannot
// be reached at all. A promise about the framework is worth more than one about another package.
func (a *Judgement) pairUp() error {
	a.pairs, a.Source = nil, a.Full
	given, err := a.relyingOn(a.meant)
	if err != nil {
		return err
	}
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return err
	}
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
		if !given[name] {
			sure := a.Promises(name, p, framework, a.meant)
			c[name] = slices.DeleteFunc(c[name], func(v string) bool { return !sure.Has(p.Index(v)) })
		}
	}
	without := map[string]bool{}
	for {
		a.pairs = newPairing(without)
		a.Source = a.paired(a.Full)
		r, proof, err := solve.Proof(a.Ctx, a.Source, a.Problem(c, a.Base.Versions()))
		if err != nil {
			return err
		}
		if r != nil {
			break
		}
		more := maps.Clone(without)
		for _, d := range proof {
			if universe.IsAsOf(d.Constraint) {
				more[universe.Plain(d.By)] = true
			}
		}
		if len(more) == len(without) { // it is out of reach for other reasons
			a.pairs, a.Source = nil, a.Full
			return nil
		}
		without = more
	}
	for _, name := range slices.Sorted(maps.Keys(without)) { // not all that a proof uses has to give way
		less := maps.Clone(without)
		delete(less, name)
		a.pairs = newPairing(less)
		a.Source = a.paired(a.Full)
		r, _, err := a.Solve(c, a.Base.Versions())
		if err != nil {
			return err
		}
		if r != nil {
			without = less
		}
	}
	a.pairs = newPairing(without)
	a.Source = a.paired(a.Full)
	return nil
}

// Trusting returns the question without dates between packages.
func (a *Judgement) Trusting() *Judgement {
	other := *a
	other.pairs = nil
	other.view()
	return &other
}
