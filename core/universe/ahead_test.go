package universe

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"testing"

	"molt/ecosystem/js/ranges"
)

// A gate answers no question before it is opened, and notes all of them.
type gate struct {
	Table
	open  chan struct{}
	asked chan string
}

func (g *gate) Package(ctx context.Context, name string) (*Package, error) {
	g.asked <- name
	select {
	case <-g.open:
		return g.Table.Package(ctx, name)
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

func demand(pkg, text string) Demand { return Demand{As: pkg, Package: pkg, Text: text} }

func TestAhead(t *testing.T) {
	table, err := Sketch(ranges.Scheme, `
		hulk@1: keel@^1 peer:mast@>=3 peer?:flag@* opt:lamp@1 jib=sail@^1 ghost@1
		hulk@2: bilge@1
		keel@1.0: tar@1
		keel@1.1: pitch@1
		keel@1.2: resin@1
		mast@3:
		mast@4: yard@1
		mast@5-rc.1: bilge@1
		sail@1: keel@^1 canvas@1
		member@1: bilge@1
		tar@1:
		pitch@1: hulk@1
		yard@1:
		lamp@1:
		canvas@1:`)
	if err != nil {
		t.Fatal(err)
	}
	for _, test := range []struct {
		name string
		kept map[string][]string
		want string
	}{
		{"the newest", nil, "canvas ghost hulk keel lamp mast resin sail yard"},
		{"what is kept", map[string][]string{"keel": {"1.1.0"}, "mast": {"3.0.0"}},
			"canvas ghost hulk keel lamp mast pitch sail"},
	} {
		g := &gate{table, make(chan struct{}), make(chan string, 100)}
		close(g.open)
		away := demand("bilge", "file:../bilge")
		away.Foreign = true
		Ahead(t.Context(), g, []Demand{demand("hulk", "^1"), away, demand("member", "1")}, test.kept, []string{"member"})()
		close(g.asked)
		names := map[string]bool{}
		for name := range g.asked {
			names[name] = true
		}
		if got := strings.Join(slices.Sorted(maps.Keys(names)), " "); got != test.want {
			t.Errorf("%s: asked for %q, want %q", test.name, got, test.want)
		}
	}
}

// All that is known to be needed is asked for at once, and the end of the context ends the walk.
func TestAheadIsParallel(t *testing.T) {
	g := &gate{Table{}, make(chan struct{}), make(chan string)}
	var demands []Demand
	for i := range 50 {
		demands = append(demands, demand(fmt.Sprintf("rope-%d", i), "1"))
	}
	ctx, cancel := context.WithCancel(t.Context())
	wait := Ahead(ctx, g, demands, nil, nil)
	for range demands { // none of which is answered
		<-g.asked
	}
	cancel()
	wait()
}

// A release that serves one demand is taken to serve the others that admit it: that is what a resolution does.
func TestAheadSharesReleases(t *testing.T) {
	table, err := Sketch(ranges.Scheme, `
		hulk@1: keel@1.0
		keel@1.0: tar@1
		keel@1.1: pitch@1`)
	if err != nil {
		t.Fatal(err)
	}
	var mu sync.Mutex
	var asked []string
	source := Changed(table, func(p *Package) (*Package, error) {
		mu.Lock()
		defer mu.Unlock()
		asked = append(asked, p.Name)
		return p, nil
	})
	w := &walk{ctx: t.Context(), source: source, demands: map[[2]string]bool{}, used: map[string][]int{}}
	for _, d := range []Demand{demand("hulk", "1"), demand("keel", "^1")} {
		w.follow([]Demand{d})
		w.work.Wait()
	}
	if slices.Sort(asked); strings.Join(asked, " ") != "hulk keel" { // tar does not exist
		t.Errorf("asked for %q", asked)
	}
}
