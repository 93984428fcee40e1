package universe

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"molt/ecosystem/js/ranges"
)

// An override is about all edges to a name, or about those of one package, or of some of its
// releases; the narrower one comes first.
func TestOverridden(t *testing.T) {
	table, err := Sketch(ranges.Scheme, `
		deck@1.0: rope@^1 peer:sail@^1
		deck@2.0: rope@^2
		mast@1.0: rope@^1
		lamp@1.0: oar@*
		rope@1.0
		rope@2.0`)
	if err != nil {
		t.Fatal(err)
	}
	to := func(name, text string) Demand { return Demand{As: name, Package: name, Text: text} }
	for _, test := range []struct {
		overrides []Override
		want      string
	}{
		{nil, "deck 1.0.0 rope ^1 sail ^1, deck 2.0.0 rope ^2, mast 1.0.0 rope ^1"},
		{[]Override{{Demand: to("rope", "9")}}, "deck 1.0.0 rope 9 sail ^1, deck 2.0.0 rope 9, mast 1.0.0 rope 9"},
		{[]Override{{Demand: to("rope", "9"), By: "deck"}},
			"deck 1.0.0 rope 9 sail ^1, deck 2.0.0 rope 9, mast 1.0.0 rope ^1"},
		{[]Override{{Demand: to("rope", "9"), By: "deck", Of: "^2"}},
			"deck 1.0.0 rope ^1 sail ^1, deck 2.0.0 rope 9, mast 1.0.0 rope ^1"},
		{[]Override{{Demand: to("rope", "8")}, {Demand: to("rope", "9"), By: "deck", Of: "^2"}},
			"deck 1.0.0 rope 8 sail ^1, deck 2.0.0 rope 9, mast 1.0.0 rope 8"},
		{[]Override{{Demand: to("sail", "9"), By: "deck"}},
			"deck 1.0.0 rope ^1 sail 9, deck 2.0.0 rope ^2, mast 1.0.0 rope ^1"},
		{[]Override{{Demand: to("rope", "9"), By: "hull"}},
			"deck 1.0.0 rope ^1 sail ^1, deck 2.0.0 rope ^2, mast 1.0.0 rope ^1"},
	} {
		source := Overridden(table, test.overrides)
		var all []string
		for _, name := range []string{"deck", "mast"} {
			p, err := source.Package(context.Background(), name)
			if err != nil {
				t.Fatal(err)
			}
			for i := range p.Len() {
				text := fmt.Sprintf("%s %s", name, p.Version(i))
				for _, d := range append(p.Needs(i), p.Peers(i)...) {
					text += " " + d.As + " " + d.Text
				}
				all = append(all, text)
			}
		}
		if got := strings.Join(all, ", "); got != test.want {
			t.Errorf("with %v\n%s\nwant %s", test.overrides, got, test.want)
		}
	}
}
