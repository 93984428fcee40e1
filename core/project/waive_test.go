package project_test

import (
	"context"
	"fmt"
	"testing"

	"molt/core/project"
	"molt/core/solve"
	"molt/samples/projecttest"
)

// What is waived binds nobody, in need or in peer, and nothing else changes.
func TestWaived(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1
		hull@1
		hull@2
		lamp@1: peer:hull@^1 oar@^1
		lamp@2: hull@^1
		sail@1: peer:hull@^1
		oar@1`)
	if got := project.Waived(source, app); fmt.Sprint(got) != fmt.Sprint(source) {
		t.Error("nothing is waived, and the source is another")
	}
	app.Waived = []project.Waiver{{Package: "lamp", Of: "hull", Reason: "we ran it"}}
	waived := project.Waived(source, app)
	for _, test := range []struct{ name, want string }{
		{"lamp", "[{oar oar ^1}] [{hull hull *}]; [{hull hull *}] []; "},
		{"sail", "[] [{hull hull ^1}]; "},
	} {
		p, err := waived.Package(context.Background(), test.name)
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		for i := range p.Len() {
			var needs, peers [][3]string
			for _, d := range p.Needs(i) {
				needs = append(needs, [3]string{d.As, d.Package, d.Text})
			}
			for _, d := range p.Peers(i) {
				peers = append(peers, [3]string{d.As, d.Package, d.Text})
			}
			brackets := func(all [][3]string) string {
				text := "["
				for _, x := range all {
					text += fmt.Sprintf("{%s %s %s}", x[0], x[1], x[2])
				}
				return text + "]"
			}
			got += brackets(needs) + " " + brackets(peers) + "; "
		}
		if got != test.want {
			t.Errorf("%s: %s, want %s", test.name, got, test.want)
		}
	}
	if w := app.Waiver("lamp", "hull"); w == nil || w.Key() != "lamp on hull" || app.Waiver("hull", "lamp") != nil {
		t.Errorf("the waiver is %+v", w)
	}
}

// What people can set aside is what packages ask of each other: not what is declared, not a
// runtime, and not what asks for nothing.
func TestStatements(t *testing.T) {
	_, app := projecttest.Sketch(t, "app: hull@^1\nhull@1")
	tangle := &solve.Tangle{Demands: []solve.Demand{
		{Kind: solve.Declared, As: "hull", Package: "hull", Constraint: "^1"},
		{Kind: solve.Peer, By: "lamp", As: "hull", Package: "hull", Constraint: "^1"},
		{Kind: solve.Peer, By: "lamp", As: "hull", Package: "hull", Constraint: "^2"},
		{Kind: solve.Need, By: "lamp", As: "oar", Package: "oar", Constraint: "*"},
		{Kind: solve.Need, By: "lamp", As: "! has no archive", Package: "! has no archive"},
		{Kind: solve.Need, By: "sail", As: "rope", Package: "cord", Constraint: "^1"},
	}}
	if got := fmt.Sprint(project.Statements(tangle, app)); got != "[{lamp hull } {sail cord }]" {
		t.Errorf("the statements are %s", got)
	}
}
