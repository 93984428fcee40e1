package projecttest

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"

	"molt/core/project"
	"molt/core/universe"
)

// Jetty is an application two majors behind, with a package that is compatible with all of them and
// one that says nothing.
const Jetty = `
	app: hulk@^3.0.0 keel@^1.0.0 mast@^1.0.0
	hulk@3.0
	hulk@3.0.1
	hulk@4.0
	hulk@5.0
	keel@1.0: peer:hulk@^3||^4||^5
	keel@1.2: peer:hulk@^3||^4||^5
	keel@2.0: peer:hulk@^3||^4||^5
	mast@1.0
	mast@2.0`

// Applied returns declarations with changes carried out.
func Applied(declared []project.Declared, changes []project.Change) []project.Declared {
	next := slices.Clone(declared)
	for _, c := range changes {
		i := slices.IndexFunc(next, func(d project.Declared) bool { return d.As == c.Name && d.Group == c.Group })
		switch {
		case c.To.Version == "":
			next = slices.Delete(next, i, i+1)
		case i < 0:
			next = append(next, project.Declared{
				Demand: universe.Demand{As: c.Name, Package: c.Name, Text: c.To.Constraint}, Group: c.Group})
		default:
			next[i].Text = c.To.Constraint
		}
	}
	return next
}

// RandomHarbour makes a framework f with three majors, and a few packages that peer on it and on each other.
func RandomHarbour(random *rand.Rand) string {
	var b strings.Builder
	b.WriteString("app: f@^1.0.0")
	names := []string{"p", "q", "r", "s"}[:2+random.IntN(3)]
	for _, n := range names {
		fmt.Fprintf(&b, " %s@^1.0.0", n)
	}
	b.WriteString("\nf@1.0\nf@1.1\nf@2.0\nf@3.0\nlib@1.0\nlib@2.0\n")
	ranges := []string{"^1", "^1||^2", "^2", "^2||^3", "^3", "^1||^2||^3", ">=1", "*"}
	for _, n := range names {
		for major := 1; major <= 1+random.IntN(4); major++ {
			at := min(random.IntN(3)+2*(major-1), len(ranges)-1)
			if major == 1 {
				at = random.IntN(2)
			}
			fmt.Fprintf(&b, "%s@%d.0: peer:f@%s", n, major, ranges[at])
			switch random.IntN(5) {
			case 0:
				fmt.Fprintf(&b, " peer:lib@%d", 1+random.IntN(2))
			case 1:
				fmt.Fprintf(&b, " lib@%d", 1+random.IntN(2))
			case 2:
				if other := names[random.IntN(len(names))]; other != n {
					fmt.Fprintf(&b, " peer:%s@>=%d", other, 1+random.IntN(2))
				}
			}
			b.WriteString("\n")
		}
	}
	return b.String()
}

// Harbour is the universe of most tests: a framework, hulk, and a package for each way to stand towards hulk 5.
const Harbour = `
	app: hulk@^3.0.0 ready@^1.0.0 silent@^1.0.0 bridge@^1.0.0 with@^1.0.0 blocked@^1.0.0 preview@^1.0.0 renamed@^1.0.0 swallowed@^1.0.0 abandoned@^1.0.0
	hulk@3.0
	hulk@3.2
	hulk@4.0
	hulk@5.0
	hulk@5.1
	hulk@6.0-preview.1
	ready@1.0: peer:hulk@>=3
	silent@1.0
	bridge@1.0: peer:hulk@^3
	bridge@2.0: peer:hulk@^3&||&^4&||&^5
	bridge@3.0: peer:hulk@^5
	with@1.0: peer:hulk@^3
	with@2.0: peer:hulk@^4
	with@3.0: peer:hulk@^5
	blocked@1.0: peer:hulk@^3
	blocked@1.1: peer:hulk@^3&||&^4
	preview@1.0: peer:hulk@^3
	preview@2.0-rc.1: peer:hulk@^5
	renamed@1.0: peer:hulk@^3 # renamed to reborn
	reborn@2.0: peer:hulk@^5
	swallowed@1.0: peer:hulk@^3 # part of hulk
	abandoned@1.0 # no longer maintained`

// Wharf is an application to which packages are to be added.
const Wharf = `
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
