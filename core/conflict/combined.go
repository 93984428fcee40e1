package conflict

import (
	"errors"
	"slices"

	"molt/core/assess"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
)

// combined looks for ways out of several tangles at once, for the case that no change of a few
// lines is enough. It finds the fewest lines of the whole manifest to change, first with every
// package, then with one, two or three packages removed.
func (f *finder) combined() error {
	names := slices.DeleteFunc(f.declaredInTangle(), func(n string) bool { return slices.Contains(f.App.Held, n) })
	names = names[:min(len(names), mostNames)]
	for less := 0; less <= 3 && len(f.ways) == 0; less++ {
		if err := combinations(names, less, func(dropped []string) error {
			if len(f.ways) >= mostWays {
				return nil
			}
			return f.fewestLines(dropped)
		}); err != nil {
			return err
		}
	}
	return nil
}

// fewestLines finds the fewest declarations to change so that everything resolves without some
// packages, and keeps that as a way out.
func (f *finder) fewestLines(dropped []string) error {
	c := assess.Choice{}
	lines := solve.Objective{Name: "lines"}
	for _, name := range f.Names() {
		if slices.Contains(dropped, name) {
			c[name] = []string{}
			continue
		}
		p, err := universe.LookUp(f.Ctx, f.Full, f.Declaration(name).Package)
		if err != nil {
			return err
		}
		if p == nil { // nothing of it can be chosen: it is for another set to leave it out
			return nil
		}
		if slices.Contains(f.App.Held, name) {
			continue
		}
		usable := f.Usable(p, f.Locked(name))
		if usable.Empty() {
			return nil
		}
		admitted, _ := p.Admit(f.Declaration(name).Text)
		c[name] = assess.Texts(p, usable.Or(admitted))
		lines.Soft = append(lines.Soft, solve.SoftConstraint{As: name, Package: p.Name, Among: assess.Texts(p, admitted)})
	}
	if f.spent != nil {
		return nil
	}
	o := solve.NewOptimizer(f.Ctx, f.Source, f.with(c))
	o.Effort = project.Effort
	best, err := o.Minimize(lines)
	var undecided *solve.UndecidedError
	if errors.Is(err, solve.ErrEndless) || errors.As(err, &undecided) {
		return nil
	}
	if err != nil || best == nil {
		return err
	}
	changed := assess.Choice{}
	for _, name := range dropped {
		changed[name] = []string{}
	}
	for _, w := range lines.Soft {
		if v := project.VersionOf(best.Resolution, w.As); v != "" && !slices.Contains(w.Among, v) {
			changed[w.As] = c[w.As]
		}
	}
	kind := MoveWay
	if len(dropped) > 0 {
		kind = DropWay
	}
	return f.attempt(kind, changed, nil)
}
