package inspect

import (
	"context"
	"errors"
	"fmt"
	"testing"

	"molt/core/project"
	"molt/core/universe"
	"molt/samples/projecttest"
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
		project.Declared{Demand: universe.Demand{As: "here", Package: "here", Text: "file:../here", Foreign: true},
			Group: "dependencies"},
		project.Declared{Demand: universe.Demand{As: "ghost", Package: "ghost", Text: "*"}, Group: "dependencies"})
	rows, err := Survey(context.Background(), source, app)
	if err != nil {
		t.Fatal(err)
	}
	want := []string{
		"current 1.0.0 best 1.0.0 newest 1.0.0 same 0 []", "patch 1.0.0 best 1.0.3 newest 1.0.3 patch 1 []",
		"minor 1.0.0 best 1.0.0 newest 1.1.0 minor 1 []", "major 1.0.0 best 1.0.0 newest 3.0.0 major 2 []",
		"wild 1.0.0 best 9.0.0 newest 9.0.0 major 1 []", "ahead 1.0.0 best 1.0.0 newest 1.0.0 same 0 []",
		"none 1.0.0 best  newest 1.0.0 same 0 [admits none lock off range]",
		"gone 1.0.0 best 1.0.0 newest 1.0.0 same 0 [retiring]",
		"here  best  newest  same 0 [not from registry]", "ghost  best  newest  same 0 [not locked unknown to registry]",
	}
	for i, r := range rows {
		got := fmt.Sprintf("%s %s best %s newest %s %s %d %v", r.Name, r.Locked, r.Best, r.Newest, r.Jump, r.Releases,
			r.Flags)
		if got != want[i] {
			t.Errorf("got  %s\nwant %s", got, want[i])
		}
	}
}

// A silent source does not know a package.
type silent struct {
	universe.Table
	about string
}

func (s silent) Package(ctx context.Context, name string) (*universe.Package, error) {
	if name == s.about {
		return nil, errors.New("nobody answers")
	}
	return s.Table.Package(ctx, name)
}

// What newer releases need may not be at hand: then the rows say what the constraints admit, and
// the error that it was not tried.
func TestSurveyUntried(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: keel@^1
		keel@1.0
		keel@1.1: rope@^1
		rope@1.0`)
	rows, err := Survey(context.Background(), silent{source, "rope"}, app)
	var untried *UntriedError
	if !errors.As(err, &untried) || len(rows) != 1 || rows[0].Best != "1.1.0" {
		t.Errorf("rows %+v, %v", rows, err)
	}
}
