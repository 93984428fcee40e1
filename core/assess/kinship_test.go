package assess

import (
	"fmt"
	"strings"
	"testing"

	"molt/core/project/projecttest"
)

// Packages share their numbers over their whole lives, or as long as there were both; a few numbers by chance are none.
func TestEqualNumbers(t *testing.T) {
	series := func(name, numbers string) (text string) {
		for v := range strings.FieldsSeq(numbers) {
			text += fmt.Sprintf("%s@%s\n", name, v)
		}
		return text
	}
	for _, test := range []struct {
		name, x, y string
		want       bool
	}{
		{"all their lives", "1.0 1.1 2.0", "1.0 1.1 2.0", true},
		{"three of four", "1.0 1.1 1.2 2.0", "1.0 1.1 2.0", true},
		{"one came later", "1.0 1.1 1.2 2.0 2.1 3.0 4.0 4.1 5.0 5.1", "4.0 4.1 5.0 5.1", true},
		{"one ended", "1.0 1.1 1.2 2.0", "1.0 1.1 1.2 2.0 3.0 3.1 4.0 5.0 6.0", true},
		{"too few to tell", "1.0 2.0 3.0 4.0 5.0 5.1", "4.0 5.0 5.1", false},
		{"numbers of its own since", "1.0 2.0 3.0 4.0 4.1 5.0 5.1", "4.0 4.2 4.3 5.0 5.2 5.3 5.4", false},
		{"nothing in common", "1.0 1.1", "2.0 2.1", false},
		{"one release", "1.0", "1.0", false},
	} {
		source, _ := projecttest.Sketch(t, "app: x@* y@*\n"+series("x", test.x)+series("y", test.y))
		for range 2 { // whichever is asked about
			if got := equalNumbers(source["x"], source["y"]); got != test.want {
				t.Errorf("%s: %v", test.name, got)
			}
			source["x"], source["y"] = source["y"], source["x"]
		}
	}
}
