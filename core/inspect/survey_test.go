package inspect

import (
	"context"
	"fmt"
	"testing"

	"molt/core/project"
	"molt/core/project/projecttest"
	"molt/core/universe"
)

func TestSurvey(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: current@^1.0.0 patch@^1.0.0 minor@~1.0.0 major@^1.0.0 wild@* ahead@^1.0.0 none@^1.0.0 gone@^1.0.0
		current@1.0
		patch@1.0
		patch@1.0.3
		minor@1.0
		minor@1.1
		major@1.0
		major@2.0
		major@3.0
		major@4.0-rc.1
		wild@1.0
		wild@9.0
		ahead@1.0
		none@1.0
		gone@1.0
		gone@1.1 # no longer maintained`)
	source["ahead"].Current = "0.9.0"
	app.Declared[6].Text = "^9.0.0"
	app.Declared = append(app.Declared,
		project.Declared{Demand: universe.Demand{As: "here", Package: "here", Text: "file:../here", Foreign: true}, Group: "dependencies"},
		project.Declared{Demand: universe.Demand{As: "ghost", Package: "ghost", Text: "*"}, Group: "dependencies"})
	rows, err := Survey(context.Background(), source, app)
	if err != nil {
		t.Fatal(err)
	}
	want := []string{
		"current 1.0.0 best 1.0.0 newest 1.0.0 same 0 []", "patch 1.0.0 best 1.0.3 newest 1.0.3 patch 1 []",
		"minor 1.0.0 best 1.0.0 newest 1.1.0 minor 1 []", "major 1.0.0 best 1.0.0 newest 3.0.0 major 2 []",
		"wild 1.0.0 best 9.0.0 newest 9.0.0 major 1 []", "ahead 1.0.0 best 1.0.0 newest 1.0.0 same 0 []",
		"none 1.0.0 best  newest 1.0.0 same 0 [admits none lock off range]", "gone 1.0.0 best 1.0.0 newest 1.0.0 same 0 [retiring]",
		"here  best  newest  same 0 [not from registry]", "ghost  best  newest  same 0 [not locked unknown to registry]",
	}
	for i, r := range rows {
		got := fmt.Sprintf("%s %s best %s newest %s %s %d %v", r.Name, r.Locked, r.Best, r.Newest, r.Jump, r.Releases, r.Flags)
		if got != want[i] {
			t.Errorf("got  %s\nwant %s", got, want[i])
		}
	}
}
