package plan

import (
	"context"
	"errors"
	"fmt"
	"molt/core/inspect"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"strings"
	"testing"
)

const wharf = `
	app: hulk@^1 deck@~1.0.0 pin@1.0.0
	hulk@1.0
	hulk@1.1
	hulk@2.0
	hulk@3.0.0-rc.1
	deck@1.0: peer:hulk@^1
	deck@1.1: peer:hulk@^1
	deck@2.0: peer:hulk@^2 rope@^2
	pin@1.0: rope@^1
	pin@1.5: rope@^1
	rope@1.0
	rope@2.0
	sail@1.0: peer:hulk@^1
	sail@2.0: peer:hulk@^9`

func TestWantInCore(t *testing.T) {
	for _, test := range []struct {
		name   string
		wanted []Wanted
		style  version.Style
		want   string
	}{
		{"a new one at the newest that resolves, in the style of most lines", []Wanted{{Name: "sail"}}, "", "sail dependencies >^1.0.0@1.0.0; sail gets 1.0.0: 2.0.0 does not resolve with the rest; molt fit sail says why"},
		{"in the style of its line", []Wanted{{Name: "deck"}}, "", "deck dependencies ~1.0.0>~1.1.0@1.1.0; deck gets 1.1.0: 2.0.0 does not resolve with the rest; molt fit deck says why"},
		{"together", []Wanted{{Name: "deck"}, {Name: "hulk"}}, "", "hulk dependencies ^1>^2.0.0@2.0.0; deck dependencies ~1.0.0>~2.0.0@2.0.0"},
		{"first come, first served", []Wanted{{Name: "hulk"}, {Name: "sail"}}, version.Exact,
			"hulk dependencies ^1>1.1.0@1.1.0; sail dependencies >1.0.0@1.0.0; hulk gets 1.1.0: 2.0.0 does not resolve with the rest; molt fit hulk says why; sail gets 1.0.0: 2.0.0 does not resolve with the rest; molt fit sail says why"},
		{"as said", []Wanted{{Name: "pin", Constraint: ">=1.2"}}, "", "pin dependencies 1.0.0>>=1.2@1.5.0"},
		{"a preview, when asked for", []Wanted{{Name: "hulk", Constraint: "3.0.0-rc.1"}, {Name: "deck", Constraint: "*"}}, "", ""},
		{"elsewhere too", []Wanted{{Name: "rope", Group: "devDependencies", Constraint: "1"}}, "", "rope devDependencies >1@1.0.0"},
		{"in a style", []Wanted{{Name: "pin"}}, version.Any, "pin dependencies 1.0.0>*@1.5.0"},
	} {
		source, app := sketch(t, wharf)
		got, err := Want(context.Background(), source, app, test.wanted, "dependencies", test.style)
		if test.want == "" {
			var tangle *solve.Tangle
			if !errors.As(err, &tangle) {
				t.Errorf("%s: got %+v, %v, want a tangle", test.name, got, err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", test.name, err)
			continue
		}
		var all []string
		for _, c := range got.Changes {
			all = append(all, fmt.Sprintf("%s %s %s>%s@%s", c.Name, c.Group, c.From.Constraint, c.To.Constraint, c.To.Version))
		}
		if text := strings.Join(append(all, got.Short...), "; "); text != test.want {
			t.Errorf("%s: got\n%s\nwant\n%s", test.name, text, test.want)
		}
	}
}

func TestTraceLocked(t *testing.T) {
	source, app := sketch(t, `
		app: a@* b@* c@*
		a@1: x@^1
		b@1: y@*
		c@1: x@^2 peer:y@*
		y@1: x@^1
		x@1.0
		x@1.5
		x@2.0`)
	all, err := inspect.TraceLocked(context.Background(), source, app.Locked, "x")
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, tr := range all {
		var chains, keepers []string
		for _, chain := range tr.Chains {
			text := ""
			for _, l := range chain {
				text += "/" + l.To
			}
			chains = append(chains, text)
		}
		for _, k := range tr.Keepers {
			keepers = append(keepers, k.By+" "+k.Constraint)
		}
		got = append(got, fmt.Sprintf("%s by %d %v next %s kept by %v", tr.ID, tr.Askers, chains, tr.Next, keepers))
	}
	want := "x@2.0.0 by 1 [/c@1.0.0/x@2.0.0] next  kept by []\nx@1.0.0 by 2 [/a@1.0.0/x@1.0.0 /b@1.0.0/y@1.0.0/x@1.0.0 /c@1.0.0/y@1.0.0/x@1.0.0] next 1.5.0 kept by []"
	if strings.Join(got, "\n") != want {
		t.Errorf("traces are\n%s\nwant\n%s", strings.Join(got, "\n"), want)
	}
	if none, err := inspect.TraceLocked(context.Background(), source, app.Locked, "z"); none != nil || err != nil {
		t.Errorf("traces of nothing: %v, %v", none, err)
	}
}

// What Fits says of every release is what resolving the application with that release says.
func TestFitsIsWhatResolves(t *testing.T) {
	source, app := sketch(t, wharf)
	for _, fixed := range []map[string]string{nil, {"hulk": "1.0.0"}, {"hulk": "2.0.0"}, {"rope": "2.0.0"}, {"ghost": "1.0.0", "hulk": "7.0.0"}} {
		app.Fixed = fixed
		for _, name := range []string{"hulk", "deck", "pin", "sail"} {
			fits, tangle, err := inspect.Fits(context.Background(), source, app, name, 0)
			if err != nil {
				t.Fatal(err)
			}
			refused := false
			for _, f := range fits {
				p := app.Problem()
				alone := universe.Filter(source, func(pkg string, r *universe.Release) bool {
					v, given := fixed[pkg]
					return pkg == name && r.Version.Compare(f.Release.Version) == 0 || pkg != name && (!given || v == r.Version.String() || source[pkg].Index(v) < 0)
				})
				for i := range p.Roots {
					if p.Roots[i].As == name {
						p.Roots[i].Text = f.Release.Version.String()
					}
				}
				if name == "sail" {
					p.Roots = append(p.Roots, solve.Root{Demand: universe.Demand{As: name, Package: name, Text: f.Release.Version.String()}})
				}
				_, err := solve.Resolve(context.Background(), alone, p)
				if (err == nil) != f.Fits {
					t.Errorf("with %v %s %s fits: %v, resolving says %v", fixed, name, f.Release.Version, f.Fits, err)
				}
				refused = refused || !f.Fits
			}
			if refused != (tangle != nil) {
				t.Errorf("with %v %s: something is refused %v, and the tangle is %v", fixed, name, refused, tangle)
			}
		}
	}
}

func TestAdvise(t *testing.T) {
	source, app := sketch(t, wharf)
	for _, test := range []struct{ name, constraint, want string }{
		{"hulk", "*", "^1.0.0"}, {"hulk", ">=1", "^1.0.0"}, {"hulk", "^1", ""}, {"deck", "~1.0.0", "~1.1.0"}, {"pin", "1.0.0", "1.5.0"}, {"sail", "*", "^1.0.0"},
	} {
		got, err := inspect.Advise(context.Background(), source, app, test.name, test.constraint)
		if err != nil {
			t.Fatal(err)
		}
		text := ""
		if got != nil {
			text = got.Constraint
		}
		if text != test.want {
			t.Errorf("for %s %s the advice is %q, want %q", test.name, test.constraint, text, test.want)
		}
	}
	if _, err := inspect.Advise(context.Background(), source, app, "hulk", "^^"); err == nil {
		t.Error("advice on nonsense")
	}
}
