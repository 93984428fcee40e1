// Package projecttest makes universes with an application in them from a few characters, for tests.
// An application that is made here stands on the scheme of JavaScript, which has every kind of
// constraint that the core has to cope with.
package projecttest

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// Requires adds what a release requires of the runtime node.
func Requires(source universe.Table, name, release, text string) {
	r := source[name].Release(release)
	r.Runtimes = append(r.Runtimes, universe.Requirement{Name: "node", Text: text})
}

// testRuntime is a runtime with a release of each major.
func testRuntime() project.Runtime {
	r := project.Runtime{Name: "node", Scheme: ranges.Scheme}
	for major := range 30 {
		if v, err := r.Scheme.Parse(fmt.Sprintf("%d.0.0", major)); err == nil {
			r.Known = append(r.Known, v)
		}
	}
	return r
}

// kin reads a scope, or the part before the first hyphen.
func kin(name string) project.Kin {
	if scope, _, ok := strings.Cut(name, "/"); ok {
		return project.Kin{Scope: scope}
	}
	stem, _, _ := strings.Cut(name, "-")
	return project.Kin{Stem: stem}
}

// Sketch reads a universe with an application in it, and locks the application to the oldest
// releases that it admits. The notation is that of universe.Sketch, with "app:" before the lines of
// the manifest, and " # " before the deprecation of a release.
func Sketch(t testing.TB, text string) (universe.Table, project.Application) {
	t.Helper()
	app := project.Application{Scheme: ranges.Scheme, Known: []project.Runtime{testRuntime()}, Kin: kin}
	var rest []string
	deprecated := map[string]string{}
	for _, l := range strings.Split(text, "\n") {
		declared, found := strings.CutPrefix(strings.TrimSpace(l), "app:")
		if !found {
			rest = append(rest, l)
			if release, remark, ok := strings.Cut(l, " # "); ok {
				name, _, _ := strings.Cut(strings.TrimSpace(release), "@")
				deprecated[name] = remark
			}
			continue
		}
		for _, word := range strings.Fields(declared) {
			d, _, err := universe.SketchDemand(word)
			if err != nil {
				t.Fatal(err)
			}
			app.Declared = append(app.Declared, project.Declared{Demand: d, Group: "dependencies"})
		}
	}
	source, err := universe.Sketch(ranges.Scheme, strings.Join(rest, "\n"))
	if err != nil {
		t.Fatal(err)
	}
	for name, says := range deprecated {
		source[name].At(source[name].Len() - 1).Deprecated = says
	}
	p := app.Problem()
	p.Keep = map[string][]string{}
	for name, pkg := range source {
		p.Keep[name] = []string{pkg.Version(0).String()}
	}
	app.Locked, err = solve.Resolve(context.Background(), source, p)
	if err != nil {
		app.Locked = nil
	}
	return source, app
}
