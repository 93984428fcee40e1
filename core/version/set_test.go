package version_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"molt/core/version"
	"molt/ecosystem/js/ranges"
)

// Set algebra has to agree with the logic of single answers, whatever the constraints.
func TestSetLaws(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	var versions []version.Version
	for range 150 {
		text := fmt.Sprintf("%d.%d.%d", random.IntN(4), random.IntN(4), random.IntN(4))
		if random.IntN(4) == 0 {
			text += fmt.Sprintf("-%c.%d", 'a'+rune(random.IntN(3)), random.IntN(3))
		}
		versions = append(versions, mustParse(t, text))
	}
	list := version.Sort(versions)
	if !slices.IsSortedFunc(list, func(a, b version.Version) int { return a.Compare(b) }) {
		t.Fatal("the list is not sorted")
	}
	for range 300 {
		a, b := randomConstraint(t, random), randomConstraint(t, random)
		sa, sb := a.Admit(list), b.Admit(list)
		for i, v := range list {
			if sa.Has(i) != version.Admits(a, v) {
				t.Fatalf("%q and %s: the set says %v, the constraint %v", a, v, sa.Has(i), version.Admits(a, v))
			}
		}
		either, _ := ranges.Scheme.Constrain(a.String() + " || " + b.String())
		if !either.Admit(list).Equal(sa.Or(sb)) {
			t.Fatalf("%q: the alternatives together differ from their union", either)
		}
		if sa.Meets(sb) == sa.And(sb).Empty() || !sa.And(sb).Equal(sa.Not().Or(sb.Not()).Not()) ||
			!sa.Minus(sb).Equal(sa.And(sb.Not())) {
			t.Fatalf("set algebra fails for %q and %q", a, b)
		}
		if sa.Count()+sa.Not().Count() != len(list) || !sa.And(sa.Not()).Empty() {
			t.Fatalf("the complement of %q overlaps or leaves gaps", a)
		}
		if got := slices.Collect(sa.All()); len(got) > 0 && (got[0] != sa.Min() || got[len(got)-1] != sa.Max()) {
			t.Fatalf("%q: members %v, lowest %d, highest %d", a, got, sa.Min(), sa.Max())
		}
	}
}

func randomConstraint(t *testing.T, random *rand.Rand) version.Constraint {
	ops := []string{"", "=", "<", "<=", ">", ">=", "~", "^"}
	parts := []string{"%d", "%d.%d", "%d.%d.%d", "%d.%d.%d-b.1", "%d.x", "*", "%d.%d.%d - %d", "%d <%d.%d.%d-c", "<%d"}
	part := parts[random.IntN(len(parts))]
	if !strings.ContainsAny(part, " <") {
		part = ops[random.IntN(len(ops))] + part
	}
	text := part
	var numbers []any
	for range strings.Count(text, "%d") {
		numbers = append(numbers, random.IntN(4))
	}
	c, err := ranges.Scheme.Constrain(fmt.Sprintf(text, numbers...))
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestDescribe(t *testing.T) {
	var versions []version.Version
	for _, text := range strings.Fields("1.0.0 1.1.0 1.2.0-a 1.2.0 2.0.0 3.0.0") {
		versions = append(versions, mustParse(t, text))
	}
	list := version.Sort(versions)
	for constraint, want := range map[string]string{
		"^1": "1.0.0 … 1.2.0", "1.1.0 || >=2": "1.1.0, 2.0.0 … 3.0.0", "5": "none",
	} {
		c, _ := ranges.Scheme.Constrain(constraint)
		if got := list.Describe(c.Admit(list)); got != want {
			t.Errorf("%q is described as %q, want %q", constraint, got, want)
		}
	}
}

func BenchmarkAdmit2000(b *testing.B) {
	var versions []version.Version
	for i := range 2000 {
		v, _ := ranges.Scheme.Parse(fmt.Sprintf("%d.%d.%d", i/100, i/10%10, i%10))
		versions = append(versions, v)
	}
	list := version.Sort(versions)
	c, _ := ranges.Scheme.Constrain("^1.2.3-beta.2 || 3.x || >=7.1 <9")
	b.ReportAllocs()
	for b.Loop() {
		c.Admit(list)
	}
}

func mustParse(t *testing.T, text string) version.Version {
	t.Helper()
	v, err := ranges.Scheme.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return v
}
