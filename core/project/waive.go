package project

import (
	"slices"

	"molt/core/solve"
	"molt/core/universe"
)

// A Waiver sets aside what the releases of a package ask of another one, because people know better.
type Waiver struct{ Package, Of, Reason string }

// Key names a waiver: "lamp on hull".
func (w Waiver) Key() string { return w.Package + " on " + w.Of }

// Waiver returns the waiver of what a package asks of another one; nil for none.
func (app Application) Waiver(pkg, of string) *Waiver {
	i := slices.IndexFunc(app.Waived, func(w Waiver) bool { return w.Package == pkg && w.Of == of })
	if i < 0 {
		return nil
	}
	return &app.Waived[i]
}

// Aside reports whether it makes no difference what a package asks of another one, because people
// say so: a waiver, or an override in the manifest.
func (app Application) Aside(pkg, of string) bool {
	return app.Waiver(pkg, of) != nil || slices.ContainsFunc(app.Overrides, func(o universe.Override) bool {
		return o.Package == of && o.Of == "" && (o.By == "" || o.By == pkg)
	})
}

// Statements lists what packages of a tangle ask of others, as what people could set aside.
func Statements(t *solve.Tangle, app Application) (all []Waiver) {
	for _, d := range t.Demands {
		_, hinders := universe.Hinders(d.Package)
		_, runtime := RuntimeOf(d.Package)
		w := Waiver{Package: universe.Plain(d.By), Of: universe.Plain(d.Package)}
		if d.By != "" && !hinders && !runtime && w.Package != w.Of && d.Constraint != app.Scheme.Any() &&
			!slices.Contains(all, w) {
			all = append(all, w)
		}
	}
	return all
}

// Waived shows of a source releases that admit any release of what people said that they may.
func Waived(source universe.Source, app Application) universe.Source {
	if len(app.Waived) == 0 {
		return source
	}
	return universe.Changed(source, func(p *universe.Package) (*universe.Package, error) {
		name := universe.Plain(p.Name)
		if !slices.ContainsFunc(app.Waived, func(w Waiver) bool { return w.Package == name }) {
			return p, nil
		}
		anyOf := func(_ int, all []universe.Demand) []universe.Demand {
			made := slices.Clone(all)
			for i, d := range made {
				if app.Waiver(name, universe.Plain(d.Package)) != nil && !d.Foreign && universe.Plain(d.Package) != name {
					made[i].Text = app.Scheme.Any()
				}
			}
			return made
		}
		return p.Rewritten(anyOf, anyOf), nil
	})
}
