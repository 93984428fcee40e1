package js

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/tidwall/gjson"

	"molt/core/solve"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
	"molt/input"
)

// Contradicts compares the manifest in an archive with a block of the lock. What the archive brings
// along itself it need not have anybody bring, and what it merely can do without may be left out.
func (JS) Contradicts(p *ecosystem.LockedPackage, manifest []byte, overridden map[string]string) string {
	if input.JSONDepth("package.json", manifest) != nil || !gjson.ValidBytes(manifest) {
		return "its manifest cannot be read"
	}
	m := gjson.ParseBytes(manifest)
	if name := m.Get("name"); name.String() != p.Name {
		return fmt.Sprintf("its manifest calls it %s", input.Quote(name.String()))
	}
	if v, err := ranges.Scheme.Parse(strings.TrimSpace(m.Get("version").String())); err != nil || v.String() != p.Version {
		return fmt.Sprintf("its manifest calls its version %s", input.Quote(m.Get("version").String()))
	}
	if says := moreRuns(p, m); says != "" {
		return says
	}
	bundled := map[string]bool{}
	all := false
	for _, key := range []string{"bundleDependencies", "bundledDependencies"} {
		if list := m.Get(key); list.IsArray() {
			for _, name := range list.Array() {
				bundled[name.String()] = true
			}
		} else if list.Bool() {
			all = true
		}
	}
	if all {
		return ""
	}
	locked := map[string]solve.Edge{}
	for _, e := range p.Needs {
		locked[e.Name] = e
	}
	written := map[string]string{}
	for _, key := range []string{"dependencies", "optionalDependencies"} {
		m.Get(key).ForEach(func(name, text gjson.Result) bool {
			if text.Type == gjson.String && !bundled[name.String()] {
				written[name.String()] = text.String()
			}
			return true
		})
	}
	for _, name := range slices.Sorted(maps.Keys(written)) {
		if bound(name, p.Name, overridden) {
			continue
		}
		e, there := locked[name]
		switch {
		case !there:
			return fmt.Sprintf("its manifest needs %s %s, of which the registry said nothing", name, input.Quote(written[name]))
		case !e.Foreign && e.Package == name && !sameConstraint(e.Constraint, written[name]):
			return fmt.Sprintf("its manifest needs %s %s, and the registry said %s", name, input.Quote(written[name]),
				input.Quote(e.Constraint))
		}
	}
	for _, e := range p.Needs {
		if _, there := written[e.Name]; !there && !bundled[e.Name] && !e.Optional && !bound(e.Name, p.Name, overridden) {
			return fmt.Sprintf("the registry said that it needs %s %s, of which its manifest says nothing", e.Name, e.Constraint)
		}
	}
	return ""
}

// sameConstraint reports whether two texts are one constraint but for spaces, or are both read as admitting everything.
func sameConstraint(a, b string) bool {
	a, b = strings.Join(strings.Fields(a), " "), strings.Join(strings.Fields(b), " ")
	any := func(text string) bool { return text == "" || text == "*" || text == "x" || text == "latest" }
	return a == b || any(a) && any(b)
}

// bound reports whether the application overrides what a package asks for under a name, by the keys of overrides.
func bound(name, by string, overridden map[string]string) bool {
	if _, all := overridden[name]; all {
		return true
	}
	for key := range overridden {
		if rest, ok := strings.CutPrefix(key, name+" below "+by); ok && (rest == "" || rest[0] == '@') {
			return true
		}
	}
	return false
}

// moreRuns says what of an archive can be run though the registry said nothing of it. The other way
// round is no fault: registries state a script for what is to be compiled, and programs for a
// folder of them, of which the manifest says nothing.
func moreRuns(p *ecosystem.LockedPackage, manifest gjson.Result) string {
	if p.Runs == ecosystem.RunsUntold {
		return ""
	}
	stated := strings.Fields(p.Runs)
	if steps := stepsIn(manifest.Get("scripts")); len(steps) > 0 && !slices.Contains(stated, installMark) {
		return fmt.Sprintf("its manifest has a script %q for its installation, and the registry said of none", steps[0])
	}
	for _, name := range slices.Sorted(maps.Keys(programsIn(p.Name, manifest.Get("bin")))) {
		if !slices.Contains(stated, name) {
			return fmt.Sprintf("its manifest has a program %s, of which the registry said nothing", input.Quote(name))
		}
	}
	return ""
}
