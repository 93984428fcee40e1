package conflict

import (
	"slices"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
)

// mostWaived is how many statements are tried, each by itself.
const mostWaived = 8

// statements lists what packages of the tangles ask of others.
func (f *finder) statements() (all []project.Waiver) {
	for _, t := range append([]*solve.Tangle{f.tangle}, f.tangle.Others...) {
		all = append(all, project.Statements(t, f.App)...)
	}
	return all[:min(len(all), mostWaived)]
}

// andWaivers adds the ways that set something aside to the others, after them, as far as there is room.
func (f *finder) andWaivers(ways []WayOut, find func() error) ([]WayOut, error) {
	f.ways = nil
	if len(ways) < mostWays {
		if err := find(); err != nil {
			return nil, err
		}
	}
	return slices.Concat(ways, f.ways[:min(len(f.ways), mostWays-len(ways))]), nil
}

// waivers tries to set one statement of the tangle aside. What people then have was refused by its
// makers, so this comes last.
func (f *finder) waivers() error {
	for _, w := range f.statements() {
		app := f.App
		app.Waived = []project.Waiver{w}
		r, _, err := f.try(project.Waived(f.Source, app), f.problem)
		if err != nil {
			return err
		}
		if r != nil {
			f.waive([]project.Waiver{w}, r)
		}
	}
	return nil
}

// waiversFor tries to set aside what keeps goals out of reach: what all of the blocked packages say of the framework,
// else one statement of the tangle.
func (f *finder) waiversFor(goals []project.Goal, blocked []string) error {
	var tries [][]project.Waiver
	if len(blocked) > 0 && len(blocked) <= mostRemedies {
		var all []project.Waiver
		for _, name := range blocked {
			all = append(all, project.Waiver{Package: f.Declaration(name).Package, Of: f.Declaration(goals[0].Name).Package})
		}
		tries = append(tries, all)
	} else if len(blocked) == 0 {
		tries = slices.Collect(slices.Chunk(f.statements(), 1))
	}
	for _, some := range tries {
		app := f.App
		app.Waived = append(slices.Clone(app.Waived), some...)
		r, _, _, err := Reach(f.Ctx, project.Waived(f.Source, app), app, goals)
		if err != nil {
			return err
		}
		if r != nil {
			f.waive(some, r)
		}
	}
	return nil
}

// waive keeps a way out that sets statements aside.
func (f *finder) waive(some []project.Waiver, r *solve.Resolution) {
	way := WayOut{Kind: WaiveWay, Waive: some, After: r}
	var titles []fact.Fact
	for _, w := range some {
		titles = append(titles, fact.New(SetAside, w.Package, w.Of))
	}
	way.Title = allOf(titles)
	way.Cost = f.cost(way)
	f.ways = append(f.ways, way)
}
