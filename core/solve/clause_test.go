package solve

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"testing"
)

// repeated is a universe in which very many releases of a package make the same demand, which
// cannot hold, and the oldest makes none.
func repeated(releases int) string {
	var text strings.Builder
	text.WriteString("app: hull@* keel@2\nhull@1:\nkeel@1:\nkeel@2:\n")
	for v := 2; v <= releases; v++ {
		fmt.Fprintf(&text, "hull@%d: keel@1\n", v)
	}
	return text.String()
}

// One conflict is enough to learn that no release will do which makes the same demand.
func TestSameDemandLearnedOnce(t *testing.T) {
	for _, tenancy := range []Strategy{Single, Nested} {
		steps := map[int]int{}
		for _, releases := range []int{20, 400} {
			source, p := sketch(t, repeated(releases))
			p.Strategy, p.Single = tenancy, []string{"hull", "keel"}
			p = p.sharing()
			r, err := Resolve(context.Background(), source, p)
			if err != nil || r.Root("hull").Version != "1.0.0" {
				t.Fatalf("%d releases: %v, %v", releases, r, err)
			}
			steps[releases] = p.shared.steps
		}
		if steps[400] > steps[20] {
			t.Errorf("strategy %v: %d steps for 20 releases, %d for 400", tenancy, steps[20], steps[400])
		}
	}
}

// What a search leaves in its arrays does not get into the next one, nor into those beside it.
func TestSearchesBesideOneAnother(t *testing.T) {
	var texts, want []string
	for k := range 6 {
		texts = append(texts, repeated(3+150*(k%3))+strings.Repeat("mast@1: boom@*\nboom@1:\n", k%2))
	}
	resolve := func(text string, tenancy Strategy) string {
		source, p, err := sketched(text)
		if err != nil {
			return err.Error()
		}
		p.Strategy, p.Single = tenancy, []string{"hull", "keel"}
		r, err := Resolve(context.Background(), source, p)
		return fmt.Sprintf("%v %v", r, err)
	}
	for _, text := range texts {
		want = append(want, resolve(text, Single)+resolve(text, Nested))
	}
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			for k := range 60 {
				text := texts[k%len(texts)]
				if got := resolve(text, Single) + resolve(text, Nested); got != want[k%len(want)] {
					t.Errorf("%s, alone %s", got, want[k%len(want)])
					return
				}
			}
		})
	}
	all.Wait()
}
