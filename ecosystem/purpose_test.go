package ecosystem_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"molt/core/project"
	"molt/core/solve"
	"molt/ecosystem"
	"molt/ecosystem/js"
)

// A package is there for the purpose that asks for most, of all chains that lead to it.
func TestPurposes(t *testing.T) {
	to := func(group, id string, optional bool) solve.Edge {
		name, _, _ := strings.Cut(id, "@")
		return solve.Edge{Name: name, Package: name, Group: group, To: id, Optional: optional}
	}
	l := &ecosystem.Lock{Roots: []solve.Edge{
		to("dependencies", "hull@1", false), to("optionalDependencies", "lamp@1", true),
		to("devDependencies", "rig@1", false), to("apps/desk:devDependencies", "crane@1", false)}}
	for id, needs := range map[string][]solve.Edge{
		"hull@1": {to("", "rope@1", false), to("", "flag@1", true)}, "lamp@1": {to("", "wick@1", false)},
		"rig@1":  {to("", "rope@1", false), to("", "hook@1", false), to("", "wick@1", false)},
		"rope@1": nil, "flag@1": {to("", "pole@1", false)}, "wick@1": nil, "hook@1": {to("", "rig@1", false)}, "crane@1": nil,
		"pole@1": nil,
	} {
		name, _, _ := strings.Cut(id, "@")
		l.Packages = append(l.Packages,
			ecosystem.LockedPackage{Node: solve.Node{ID: id, Name: name, Version: "1", Needs: needs}})
	}
	var got []string
	for id, p := range ecosystem.Purposes(js.JS{}, l) {
		got = append(got, fmt.Sprintf("%s %d", id, p))
	}
	slices.Sort(got)
	want := fmt.Sprintf("crane@1 %[3]d, flag@1 %[2]d, hook@1 %[3]d, hull@1 %[1]d, lamp@1 %[2]d, pole@1 %[2]d, rig@1 "+
		"%[3]d, rope@1 %[1]d, wick@1 %[2]d", project.ToRun, project.ToChoose, project.ToDevelop)
	if strings.Join(got, ", ") != want {
		t.Errorf("purposes are %s\nwant %s", strings.Join(got, ", "), want)
	}
}
