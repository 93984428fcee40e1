package universe

import (
	"fmt"
	"sync"
	"testing"
)

// Equal names get one number and different names different ones, whoever enters them at the same time.
func TestNumbers(t *testing.T) {
	var names Numbers
	const workers, count = 8, 500
	numbers := make([][count]int32, workers)
	var all sync.WaitGroup
	for w := range workers {
		all.Go(func() {
			for k := range count {
				i := (k*7 + w*61) % count
				d := Demand{As: "alias", Package: fmt.Sprint("p", i)}
				names.Enter(&d)
				if d.Package != fmt.Sprint("p", i) || d.As != "alias" {
					t.Errorf("p%d became %+v", i, d)
				}
				numbers[w][i] = d.Number
			}
		})
	}
	all.Wait()
	seen := map[int32]bool{0: true}
	for i, n := range numbers[0] {
		if seen[n] {
			t.Fatalf("p%d has the number %d, which is taken or none", i, n)
		}
		seen[n] = true
		for w := range workers {
			if numbers[w][i] != n {
				t.Fatalf("p%d has the numbers %d and %d", i, n, numbers[w][i])
			}
		}
	}
	d := Demand{As: "p1", Package: "p1", Foreign: true} // of no source
	names.Enter(&d)
	if d.Number != 0 {
		t.Errorf("a demand from elsewhere got the number %d", d.Number)
	}
	var none *Numbers
	if none.Enter(&d); d.Number != 0 || none.Text("p1") != "p1" {
		t.Errorf("without numbers: %+v", d)
	}
}
