package plan

import (
	"context"
	"maps"
	"slices"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// An Offer is a set of moves that resolves by itself, from where the application stands. A package is in one offer at the most, so that offers do not
// change the same line of a manifest.
type Offer struct {
	ID      string
	Title   string
	Changes []project.Change
}

// A Waiting is a package for which there is something newer that is not offered, with the reason.
type Waiting struct{ Name, At, Newest, Why string }

// Offers lists what is new for an application without a goal: all patch releases together, all minor ones together, and each breaking move by itself, with
// its family as far as people say or one scope and number show it. What does not break goes first: a package is offered its next major when it has
// nothing else left. Held packages wait.
func Offers(ctx context.Context, source universe.Source, app project.Application) ([]Offer, []Waiting, error) {
	o := &offering{ctx: ctx, source: project.RunnableFrom(source, app, app.Locked), app: app, base: solve.NewBase(app.Locked)}
	patches, minors, majors := map[string]string{}, map[string]string{}, map[string][]string{}
	var waiting []Waiting
	var names []string
	for _, d := range app.Declared {
		if !project.Registered(d) || slices.Contains(names, d.As) {
			continue
		}
		names = append(names, d.As)
		p, err := o.source.Package(ctx, d.Package)
		if err != nil {
			return nil, nil, err
		}
		at := p.Index(project.VersionOf(app.Locked, d.As))
		if at < 0 {
			continue
		}
		patch, minor, breaking := o.next(p, d.As, at)
		newest := p.Version(at).String()
		for _, v := range [][]string{breaking, {minor}, {patch}} {
			if len(v) > 0 && v[0] != "" {
				newest = v[0]
				break
			}
		}
		switch {
		case newest == p.Version(at).String():
		case slices.Contains(app.Held, d.As):
			waiting = append(waiting, Waiting{d.As, p.Version(at).String(), newest, "held: " + app.HeldFor(d.As)})
		case minor != "":
			minors[d.As] = minor
		case patch != "":
			patches[d.As] = patch
		default:
			majors[d.As] = breaking
		}
	}
	var offers []Offer
	for _, safe := range []struct {
		id, title string
		to        map[string]string
	}{{"patch", "all patch releases, together", patches}, {"minor", "all minor releases, together", minors}} {
		taken, err := o.together(safe.to)
		if err != nil {
			return nil, nil, err
		}
		for _, name := range slices.Sorted(maps.Keys(safe.to)) {
			if taken[name] == "" {
				waiting = append(waiting, Waiting{name, project.VersionOf(app.Locked, name), safe.to[name], "does not resolve with the others of its kind"})
			}
		}
		if len(taken) > 0 {
			offers = append(offers, Offer{safe.id, safe.title, o.changes(taken)})
		}
	}
	done := map[string]bool{}
	for _, name := range names {
		if majors[name] == nil || done[name] {
			continue
		}
		family := []string{name}
		for _, other := range names {
			if other != name && majors[other] != nil && !done[other] && o.akin(name, other) {
				family = append(family, other)
			}
		}
		to, err := o.major(family, majors)
		if err != nil {
			return nil, nil, err
		}
		for _, member := range family {
			done[member] = true
			if to == nil {
				waiting = append(waiting, Waiting{member, project.VersionOf(app.Locked, member), majors[member][0], "does not resolve by itself; a plan for " + name + " says what has to move with it"})
			}
		}
		if to != nil {
			title := name + " " + to[name]
			if len(family) > 1 {
				title += ", with its family"
			}
			offers = append(offers, Offer{"major-" + slug(name), title, o.changes(to)})
		}
	}
	return offers, waiting, nil
}

type offering struct {
	ctx    context.Context
	source universe.Source
	app    project.Application
	base   *solve.Base
}

// next finds the newest stable release of each size of move: one patch, one minor, and of the breaking ones the newest of each major, the newest first.
func (o *offering) next(p *universe.Package, name string, at int) (patch, minor string, breaking []string) {
	majors := map[string]bool{}
	described := o.described(p)
	for i := p.Len() - 1; i > at; i-- {
		v := p.Version(i)
		if v.Prerelease() || p.Withdrawn(i) || p.About(i).Deprecated != "" || described != nil && v.Compare(described) > 0 && p.Scheme.Major(v) != p.Scheme.Major(described) {
			continue
		}
		switch jump := o.app.JumpOf(name, p.Version(at), v); {
		case jump == version.Major:
			if major := p.Scheme.Major(v); !majors[major] {
				majors[major] = true
				breaking = append(breaking, v.String())
			}
		case jump == version.Minor && minor == "":
			minor = v.String()
		case jump == version.Patch && patch == "":
			patch = v.String()
		}
	}
	return patch, minor, breaking
}

// described returns the locked release, or the deployed version, of what a package describes, whose major it never passes; nil where it describes nothing.
func (o *offering) described(p *universe.Package) version.Version {
	if o.app.Kin == nil {
		return nil
	}
	about := o.app.Kin(p.Name).Describes
	if about == "" {
		return nil
	}
	versions := o.app.Locked.Versions()[about]
	for _, v := range o.app.Assumed()[about] {
		versions = append(versions, v)
	}
	for _, text := range versions {
		if v, err := p.Scheme.Parse(text); err == nil {
			return v
		}
	}
	return nil
}

// akin reports whether two declared packages move in step: as people say, or by one scope and the same release now.
func (o *offering) akin(a, b string) bool {
	for _, family := range o.app.Families {
		if slices.Contains(family, a) && slices.Contains(family, b) {
			return true
		}
	}
	return o.app.Kin != nil && o.app.Kin(a).Common(o.app.Kin(b)) != "" && project.VersionOf(o.app.Locked, a) == project.VersionOf(o.app.Locked, b)
}

// resolves reports whether some packages can move together.
func (o *offering) resolves(to map[string]string) (bool, error) {
	r, err := project.TryStage(o.ctx, o.source, o.app, o.declared(to), o.app.Locked, o.base, to)
	return r != nil, err
}

// together returns as many of the moves as resolve together: all, or those that do one after the other.
func (o *offering) together(to map[string]string) (map[string]string, error) {
	if len(to) == 0 {
		return nil, nil
	}
	if ok, err := o.resolves(to); ok || err != nil {
		return to, err
	}
	taken := map[string]string{}
	for _, name := range slices.Sorted(maps.Keys(to)) {
		taken[name] = to[name]
		ok, err := o.resolves(taken)
		if err != nil {
			return nil, err
		}
		if !ok {
			delete(taken, name)
		}
	}
	return taken, nil
}

// major returns where a family can go by itself: to the newest majors of all, else to the next ones; nil for nowhere.
func (o *offering) major(family []string, majors map[string][]string) (map[string]string, error) {
	for k := range majors[family[0]] {
		to := map[string]string{}
		for _, name := range family {
			to[name] = majors[name][min(k, len(majors[name])-1)]
		}
		if ok, err := o.resolves(to); ok || err != nil {
			return to, err
		}
	}
	return nil, nil
}

// constraint is what a line says when its package moves: what it says now, where that admits the release.
func (o *offering) constraint(d project.Declared, release string) string {
	v, err := o.app.Scheme.Parse(release)
	if err != nil {
		return d.Text
	}
	if c, err := o.app.Scheme.Constrain(d.Text); err == nil && version.Admits(c, v) {
		return d.Text
	}
	return o.app.Scheme.Restyle(d.Text, v)
}

func (o *offering) declared(to map[string]string) []project.Declared {
	all := slices.Clone(o.app.Declared)
	for i := range all {
		if v, ok := to[all[i].As]; ok && project.Registered(all[i]) {
			all[i].Text = o.constraint(all[i], v)
		}
	}
	return all
}

func (o *offering) changes(to map[string]string) (all []project.Change) {
	for _, d := range o.app.Declared {
		v, ok := to[d.As]
		if !ok || !project.Registered(d) {
			continue
		}
		c := project.Change{Name: d.As, Group: d.Group, From: project.Point{Constraint: d.Text, Version: project.VersionOf(o.app.Locked, d.As)}, To: project.Point{Constraint: o.constraint(d, v), Version: v}}
		from, err := o.app.Scheme.Parse(c.From.Version)
		goal, bad := o.app.Scheme.Parse(v)
		if err == nil && bad == nil {
			c.Jump = o.app.JumpOf(d.As, from, goal)
		}
		all = append(all, c)
	}
	return all
}
