package project

import (
	"molt/core/universe"
	"molt/core/version"
)

// CapOf returns the line of a declared package at a release that ends before its next major, and
// shuts out a release that does not break: "~2.1.0" where there is 2.2.0. Somebody decided that, so
// only what the goal needs goes past it. A line that asks for one release exactly is a style (rule
// 8 of docs/judgement.md). It returns "" for none, and where people said that such lines count for
// nothing. What a declaration's line is by now, a function says.
func (app Application) CapOf(name string, pkg *universe.Package, at int, lineOf func(Declared) string) string {
	if app.Uncapped || at < 0 {
		return ""
	}
	for _, d := range app.Declared {
		if d.As != name {
			continue
		}
		line := lineOf(d)
		if style := app.Scheme.StyleOf(line); style == version.Exact || style == version.Any {
			continue
		}
		admitted, err := pkg.Admit(line)
		if err != nil || !admitted.Has(at) {
			continue
		}
		for i := admitted.Max() + 1; i < pkg.Len(); i++ {
			if v := pkg.Version(i); !v.Prerelease() && !pkg.Withdrawn(i) && !app.Breaking(name, pkg.Version(at), v) {
				return line
			}
		}
	}
	return ""
}
