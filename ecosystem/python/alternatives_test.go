package python

import (
	"math/rand/v2"
	"testing"

	"molt/ecosystem"
)

// The condition for some of all choices holds in these and in no others.
func TestTell(t *testing.T) {
	alternatives := [][]string{{"dependency-groups.sail", "dependency-groups.motor", "optional-dependencies.oars"},
		{"dependency-groups.lamp", "dependency-groups.led"}}
	lock := &ecosystem.Lock{Alternatives: alternatives,
		Included: map[string][]string{"dependency-groups.dev": {"dependency-groups.sail"}}}
	random := rand.New(rand.NewPCG(3, 4))
	for n := range 300 {
		bases := []ecosystem.Environment{{}}
		if n%2 == 1 {
			bases = []ecosystem.Environment{
				{Name: "desk", Runtimes: map[string]string{"python": "3.9"}}, {Name: "here", Platform: "macos-arm64"}}
		}
		lock.Alternatives = alternatives[:1+n%3/2]
		cells := ecosystem.Divided(bases, lock.Alternatives)
		all, err := environmentsOf(cells)
		if err != nil {
			t.Fatal(err)
		}
		var some environments
		in := make([]bool, len(all))
		for i, e := range all {
			if in[i] = random.IntN(2) == 0; in[i] {
				some = append(some, e)
			}
		}
		if len(some) == 0 {
			continue
		}
		m := groupMarkersOf(lock).tell(some, all, environmentMarker)
		for i, e := range all {
			if m.Holds(e) != in[i] {
				t.Fatalf("%v of %v: %v holds in %q: %v", in, cells, m, cells[i].Name, m.Holds(e))
			}
		}
	}
}

func TestDivided(t *testing.T) {
	cells := ecosystem.Divided([]ecosystem.Environment{{}, {Name: "desk"}},
		[][]string{{"dependency-groups.sail", "optional-dependencies.sail"}})
	var names []string
	for _, c := range cells {
		names = append(names, c.Name)
	}
	want := []string{"dependency-groups.sail", "optional-dependencies.sail", "no alternative",
		"desk with dependency-groups.sail", "desk with optional-dependencies.sail", "desk"}
	if len(names) != len(want) {
		t.Fatalf("%q, want %q", names, want)
	}
	for i := range want {
		if names[i] != want[i] {
			t.Errorf("%q, want %q", names[i], want[i])
		}
	}
}
