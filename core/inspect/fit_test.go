package inspect

import (
	"context"
	"testing"

	"molt/core/solve"
	"molt/core/universe"
	"molt/samples/projecttest"
)

// What Fits says of every release is what resolving the application with that release says.
func TestFitsIsWhatResolves(t *testing.T) {
	source, app := projecttest.Sketch(t, projecttest.Wharf)
	for _, fixed := range []map[string]string{
		nil, {"hulk": "1.0.0"}, {"hulk": "2.0.0"}, {"rope": "2.0.0"}, {"ghost": "1.0.0", "hulk": "7.0.0"}} {
		app.Fixed = fixed
		for _, name := range []string{"hulk", "deck", "pin", "sail"} {
			fits, tangle, err := Fits(context.Background(), source, app, name, 0)
			if err != nil {
				t.Fatal(err)
			}
			refused := false
			for _, f := range fits {
				p := app.Problem()
				alone := universe.Filter(source, func(pkg string, r *universe.Release) bool {
					v, given := fixed[pkg]
					return pkg == name && r.Version.Compare(f.Release.Version) == 0 || pkg != name &&
						(!given || v == r.Version.String() || source[pkg].Index(v) < 0)
				})
				for i := range p.Roots {
					if p.Roots[i].As == name {
						p.Roots[i].Text = f.Release.Version.String()
					}
				}
				if name == "sail" {
					p.Roots = append(p.Roots, solve.Root{
						Demand: universe.Demand{As: name, Package: name, Text: f.Release.Version.String()}})
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
	source, app := projecttest.Sketch(t, projecttest.Wharf)
	for _, test := range []struct{ name, constraint, want string }{
		{"hulk", "*", "^1.0.0"}, {"hulk", ">=1", "^1.0.0"}, {"hulk", "^1", ""}, {"deck", "~1.0.0", "~1.1.0"},
		{"pin", "1.0.0", "1.5.0"}, {"sail", "*", "^1.0.0"},
	} {
		got, err := Advise(context.Background(), source, app, test.name, test.constraint)
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
	if _, err := Advise(context.Background(), source, app, "hulk", "^^"); err == nil {
		t.Error("advice on nonsense")
	}
}
