package plan

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"molt/core/solve"
	"molt/core/version"
	"molt/samples/projecttest"
)

func TestWantInCore(t *testing.T) {
	for _, test := range []struct {
		name   string
		wanted []Wanted
		style  version.Style
		want   string
	}{
		{"a new one at the newest that resolves, in the style of most lines", []Wanted{{Name: "sail"}},
			"", "sail dependencies >^1.0.0@1.0.0; gets, since(sail, 1.0.0, asks for what fails(2.0.0, hulk ^9))"},
		{"in the style of its line", []Wanted{{Name: "deck"}}, "",
			"deck dependencies ~1.0.0>~1.1.0@1.1.0; gets, since(deck, 1.1.0, asks for another declared(2.0.0, hulk ^2, ^1))"},
		{"together", []Wanted{{Name: "deck"}, {Name: "hulk"}}, "",
			"hulk dependencies ^1>^2.0.0@2.0.0; deck dependencies ~1.0.0>~2.0.0@2.0.0"},
		{"first come, first served", []Wanted{{Name: "hulk"}, {Name: "sail"}}, version.Exact,
			"hulk dependencies ^1>1.1.0@1.1.0; sail dependencies >1.0.0@1.0.0; gets, since(hulk, 1.1.0, asks " +
				"for(deck, hulk ^1)); gets, since(sail, 1.0.0, asks for what fails(2.0.0, hulk ^9))"},
		{"as said", []Wanted{{Name: "pin", Constraint: ">=1.2"}}, "", "pin dependencies 1.0.0>>=1.2@1.5.0"},
		{"a preview, when asked for", []Wanted{{Name: "hulk", Constraint: "3.0.0-rc.1"}, {Name: "deck", Constraint: "*"}}, "",
			""},
		{"elsewhere too", []Wanted{{Name: "rope", Group: "devDependencies", Constraint: "1"}},
			"", "rope devDependencies >1@1.0.0"},
		{"in a style", []Wanted{{Name: "pin"}}, version.Any, "pin dependencies 1.0.0>*@1.5.0"},
	} {
		source, app := projecttest.Sketch(t, projecttest.Wharf)
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
		for _, short := range got.Short {
			all = append(all, short.String())
		}
		if text := strings.Join(all, "; "); text != test.want {
			t.Errorf("%s: got\n%s\nwant\n%s", test.name, text, test.want)
		}
	}
}
