package version

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

func TestJSPrecedence(t *testing.T) {
	// Ascending; the prereleases are the example of SemVer 2.0.0 §11.4.
	ordered := strings.Fields(`0.0.0-0 0.0.1 0.1.0 1.0.0-alpha 1.0.0-alpha.1 1.0.0-alpha.beta 1.0.0-beta 1.0.0-beta.2
		1.0.0-beta.11 1.0.0-rc.1 1.0.0-rc.1.0 1.0.0 1.0.1 1.9.0 1.10.0 2.0.0-0 2.0.0 9007199254740991.0.0`)
	for i, a := range ordered {
		for j, b := range ordered {
			got, want := mustParse(t, a).Compare(mustParse(t, b)), min(max(i-j, -1), 1)
			if got != want {
				t.Errorf("%s against %s = %d, want %d", a, b, got, want)
			}
		}
	}
	if mustParse(t, "1.0.0+left").Compare(mustParse(t, "1.0.0+right")) != 0 {
		t.Error("build metadata changed the precedence")
	}
}

func TestJSConstraints(t *testing.T) {
	tests := []struct{ constraint, admits, refuses string }{
		{"1.2.3", "1.2.3 1.2.3+b", "1.2.2 1.2.4 1.2.3-a"},
		{"=1.2.3", "1.2.3", "1.2.4"},
		{"= v1.2.3", "1.2.3", "1.2.4"},
		{"v1.2.3", "1.2.3", "1.2.4"},
		{"=1.2", "1.2.0 1.2.9", "1.3.0"},
		{">1.2.3", "1.2.4 2.0.0", "1.2.3 1.2.4-a"},
		{"> =1.2.3", "1.2.3 1.2.4", "1.2.2"},
		{">1.2", "1.3.0 2.0.0", "1.2.9 1.3.0-0"},
		{">1", "2.0.0", "1.9.9 2.0.0-rc.1"},
		{">=1.2", "1.2.0 9.0.0", "1.1.9 1.2.0-rc.1"},
		{"<1.2", "1.1.9 0.0.0", "1.2.0 1.2.0-a"},
		{"<=1.2", "1.2.9 1.0.0", "1.3.0 1.3.0-a"},
		{"<=1", "1.9.9", "2.0.0 2.0.0-a"},
		{"<2.0.0", "1.9.9", "2.0.0 2.0.0-a"},
		{"<2.0.0-beta", "1.9.9 2.0.0-alpha", "2.0.0-beta 2.0.0 1.9.9-a"},
		{"*", "0.0.0 1.2.3", "1.2.3-a"},
		{"", "0.0.0 1.2.3", "1.2.3-a"},
		{"  ", "0.0.0 1.2.3", "1.2.3-a"},
		{"x", "1.2.3", "1.2.3-a"},
		{">*", "", "0.0.0 1.2.3 0.0.0-0"},
		{"<x", "", "0.0.0 1.2.3"},
		{">=*", "1.2.3", "1.2.3-a"},
		{"1", "1.0.0 1.9.9", "0.9.9 2.0.0 2.0.0-0 1.0.0-a"},
		{"1.x", "1.0.0 1.9.9", "2.0.0"},
		{"1.x.3", "1.0.0 1.9.9", "2.0.0"},
		{"1.2.X", "1.2.0 1.2.9", "1.3.0"},
		{"1.2.*-beta", "1.2.0 1.2.9", "1.3.0 1.2.0-beta"},
		{"^1.2.3", "1.2.3 1.9.0", "1.2.2 2.0.0 2.0.0-a 1.3.0-a"},
		{"^0.2.3", "0.2.3 0.2.9", "0.3.0 0.2.2 1.0.0"},
		{"^0.0.3", "0.0.3", "0.0.4 0.0.2"},
		{"^0.0.0", "0.0.0", "0.0.1"},
		{"^0.0", "0.0.0 0.0.9", "0.1.0"},
		{"^0.0.x", "0.0.0 0.0.9", "0.1.0"},
		{"^0.x", "0.0.0 0.9.9", "1.0.0"},
		{"^0", "0.0.0 0.9.9", "1.0.0"},
		{"^0.1.x", "0.1.0 0.1.9", "0.2.0 0.0.9"},
		{"^1.x", "1.0.0 1.9.9", "2.0.0"},
		{"^*", "0.0.0 9.9.9", "1.0.0-a"},
		{"^ 1.2.3", "1.2.3", "2.0.0"},
		{"^v1.2.3", "1.2.3", "2.0.0"},
		{"^1.2.3-beta.2", "1.2.3-beta.2 1.2.3-beta.10 1.2.3 1.9.9", "1.2.3-beta.1 1.2.4-beta.3 2.0.0"},
		{"^0.0.3-beta", "0.0.3-beta 0.0.3-pr.2 0.0.3", "0.0.4 0.0.3-alpha"},
		{"~1.2.3", "1.2.3 1.2.9", "1.3.0 1.2.2"},
		{"~>1.2.3", "1.2.3 1.2.9", "1.3.0"},
		{"~ 1.2", "1.2.0 1.2.9", "1.3.0"},
		{"~1", "1.0.0 1.9.9", "2.0.0"},
		{"~0", "0.0.0 0.9.9", "1.0.0"},
		{"~1.2.3-beta.2", "1.2.3-beta.2 1.2.3-beta.4 1.2.9", "1.2.4-beta.2 1.3.0"},
		{"1.2.3 - 2.3.4", "1.2.3 2.0.0 2.3.4", "1.2.2 2.3.5 2.0.0-a"},
		{"1.2 - 2.3.4", "1.2.0 2.3.4", "1.1.9"},
		{"1.2.3 - 2.3", "2.3.9", "2.4.0 2.4.0-0"},
		{"1.2.3 - 2", "2.9.9", "3.0.0"},
		{"* - 2", "0.0.0 2.9.9", "3.0.0"},
		{"1.2.3 - *", "1.2.3 9.0.0", "1.2.2"},
		{"=1.2 - v=2", "1.2.0 2.9.9", "1.1.9 3.0.0"},
		{"v1.2.3 - v=2.0.0-b", "1.2.3 2.0.0-a", "2.0.0"},
		{"1.2.3-a - 2.0.0-b", "1.2.3-b 2.0.0-a 1.5.0", "1.2.3-0 2.0.0-c 2.0.0 1.2.4-a"},
		{">=1.2.3 <2", "1.2.3 1.9.9", "2.0.0"},
		{">= 1.2.3   < 2", "1.2.3 1.9.9", "2.0.0"},
		{">=1.2.3-alpha <2.0.0", "1.2.3-beta 1.9.9", "2.0.0-beta 1.2.4-a"},
		{">=2.0.0-alpha <2.0.0", "2.0.0-beta", "2.0.0 1.9.9"},
		{"* >=1.2.3-a", "1.2.3-b", "1.2.2"},
		{"^1 || ^3", "1.5.0 3.0.0", "2.0.0"},
		{"^1.2.3-beta.2||3.x", "1.2.3-beta.2 3.9.0", "2.0.0 3.0.0-a"},
		{"1.2.3 || >=2.0.0-0 <2.0.0", "1.2.3 2.0.0-a", "2.0.0"},
		{"1 || ", "1.0.0 5.0.0", "5.0.0-a"},
		{"|| 1", "5.0.0", ""},
		{">1 <1", "", "1.0.0 0.5.0 2.0.0"},
	}
	for _, test := range tests {
		c, err := JS.Constrain(test.constraint)
		if err != nil {
			t.Errorf("%q: %v", test.constraint, err)
			continue
		}
		for _, v := range strings.Fields(test.admits) {
			if !c.Admits(mustParse(t, v)) {
				t.Errorf("%q refuses %s", test.constraint, v)
			}
		}
		for _, v := range strings.Fields(test.refuses) {
			if c.Admits(mustParse(t, v)) {
				t.Errorf("%q admits %s", test.constraint, v)
			}
		}
	}
}

func TestJSErrors(t *testing.T) {
	tests := []struct {
		text   string
		offset int
	}{
		{"^", 1}, {">=", 2}, {"1.", 2}, {"01.2.3", 0}, {"1.02", 2}, {"1.2.3.4", 5}, {"1.2.3-", 6}, {"1.2.3-01", 6},
		{"1.2.3+", 6}, {"1.2-beta", 3}, {"latest", 0}, {"^1 | ^2", 3}, {"1.2.3,1.2.4", 5}, {"==1.2.3", 1},
		{"vv1.2.3", 0}, {"v 1.2.3", 1}, {">=1.2.3<2.0.0", 7}, {"1.2.3 -2.0.0", 6}, {"1 - 2 3", 6}, {"=1.2.3 - 2", 7}, {"1.2.3 - =2.0.0", 8}, {"1 - 2 - 3", 6},
		{">=^1", 2}, {"9007199254740992", 0}, {"file:../x", 0}, {"1.2.3-a..b", 8}, {"^1 || ^", 7}, {"1.2.ü", 4},
	}
	for _, test := range tests {
		_, err := JS.Constrain(test.text)
		var bad *Error
		if !errors.As(err, &bad) || bad.Offset != test.offset {
			t.Errorf("%q: %v, want an error at offset %d", test.text, err, test.offset)
		}
	}
	for _, text := range []string{"", "1", "1.2", "1.2.x", "1.2.3 4", "1.2.3-", "a.b.c", "1.2.3-00"} {
		if v, err := JS.Parse(text); err == nil {
			t.Errorf("version %q was read as %s", text, v)
		}
	}
}

func TestJSJump(t *testing.T) {
	tests := []struct {
		from, to string
		jump     Jump
		breaking bool
	}{
		{"1.2.3", "1.2.3", Same, false}, {"1.2.3", "1.2.4", Patch, false}, {"1.2.3", "1.3.0", Minor, false},
		{"1.2.3", "2.0.0", Major, true}, {"0.2.3", "0.2.4", Patch, false}, {"0.2.3", "0.3.0", Minor, true},
		{"0.0.3", "0.0.4", Patch, true}, {"2.0.0", "1.9.9", Back, true}, {"1.0.0-a", "1.0.0", Pre, true},
	}
	for _, test := range tests {
		from, to := mustParse(t, test.from), mustParse(t, test.to)
		if got := JS.Jump(from, to); got != test.jump {
			t.Errorf("%s to %s is a %v jump, want %v", test.from, test.to, got, test.jump)
		}
		if got := JS.Breaking(from, to); got != test.breaking {
			t.Errorf("%s to %s breaking: %v, want %v", test.from, test.to, got, test.breaking)
		}
	}
}

func TestJSRestyle(t *testing.T) {
	tests := []struct{ constraint, to, want string }{
		{"~2.1.0", "2.4.3", "~2.4.3"}, {"^2.1.0", "3.0.1", "^3.0.1"}, {"^2.1.0", "2.4.3", "^2.1.0"}, {"2.1.0", "2.4.3", "2.4.3"},
		{"=2.1.0", "2.4.3", "=2.4.3"}, {"2.x", "3.1.4", "3.x"}, {"2", "3.1.4", "3"}, {"~2.1", "2.4.3", "~2.4"}, {"2.1.x", "2.4.3", "2.4.x"},
		{"*", "9.0.0", "*"}, {">=2", "3.0.0", ">=2"}, {"<3", "3.1.0", "^3.1.0"}, {"^1 || ^2", "3.1.0", "^3.1.0"}, {"1.0.0 - 2.0.0", "3.1.0", "^3.1.0"},
		{"^2.1.0", "3.0.0-rc.1", "^3.0.0-rc.1"}, {"2.x", "3.0.0-rc.1", "3.0.0-rc.1"}, {"latest", "3.0.0", "^3.0.0"}, {">2.5.0", "1.0.0", "^1.0.0"},
	}
	for _, test := range tests {
		if got := JS.Restyle(test.constraint, mustParse(t, test.to)); got != test.want {
			t.Errorf("%q at %s becomes %q, want %q", test.constraint, test.to, got, test.want)
		}
	}
}

func TestBounded(t *testing.T) {
	for text, want := range map[string]bool{
		"^3": true, "3.x": true, "1.2.3": true, "1 - 2": true, "<4": true, ">=2": false, "*": false, "^3 || >=5": false,
	} {
		if c, _ := JS.Constrain(text); c.Bounded() != want {
			t.Errorf("%q bounded: %v", text, !want)
		}
	}
}

// Set algebra has to agree with the logic of single answers, whatever the constraints.
func TestSetLaws(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	var versions []Version
	for range 150 {
		text := fmt.Sprintf("%d.%d.%d", random.IntN(4), random.IntN(4), random.IntN(4))
		if random.IntN(4) == 0 {
			text += fmt.Sprintf("-%c.%d", 'a'+rune(random.IntN(3)), random.IntN(3))
		}
		versions = append(versions, mustParse(t, text))
	}
	list := Sort(versions)
	if !slices.IsSortedFunc(list, func(a, b Version) int { return a.Compare(b) }) {
		t.Fatal("the list is not sorted")
	}
	for range 300 {
		a, b := randomConstraint(t, random), randomConstraint(t, random)
		sa, sb := list.Admit(a), list.Admit(b)
		for i, v := range list {
			if sa.Has(i) != a.Admits(v) {
				t.Fatalf("%q and %s: the set says %v, the constraint %v", a, v, sa.Has(i), a.Admits(v))
			}
		}
		either, _ := JS.Constrain(a.String() + " || " + b.String())
		if !list.Admit(either).Equal(sa.Or(sb)) {
			t.Fatalf("%q: the alternatives together differ from their union", either)
		}
		if !sa.And(sb).Equal(sa.Not().Or(sb.Not()).Not()) || !sa.Minus(sb).Equal(sa.And(sb.Not())) {
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

func randomConstraint(t *testing.T, random *rand.Rand) Constraint {
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
	c, err := JS.Constrain(fmt.Sprintf(text, numbers...))
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestDescribe(t *testing.T) {
	var versions []Version
	for _, text := range strings.Fields("1.0.0 1.1.0 1.2.0-a 1.2.0 2.0.0 3.0.0") {
		versions = append(versions, mustParse(t, text))
	}
	list := Sort(versions)
	for constraint, want := range map[string]string{
		"^1": "1.0.0 … 1.2.0", "1.1.0 || >=2": "1.1.0, 2.0.0 … 3.0.0", "5": "none",
	} {
		c, _ := JS.Constrain(constraint)
		if got := list.Describe(list.Admit(c)); got != want {
			t.Errorf("%q is described as %q, want %q", constraint, got, want)
		}
	}
}

func FuzzJSConstrain(f *testing.F) {
	for _, seed := range []string{"^1.2.3-beta.2 || 3.x", "1.2 - 2", ">= v1 <2", "~>0.0.1", "", "1.2.3+b", "> =1", "x.1-a"} {
		f.Add(seed, "1.2.3")
	}
	f.Fuzz(func(t *testing.T, constraint, text string) {
		c, err := JS.Constrain(constraint)
		var bad *Error
		if err != nil && (!errors.As(err, &bad) || bad.Offset < 0 || bad.Offset > len(constraint)) {
			t.Fatalf("error without a place: %v", err)
		}
		v, verr := JS.Parse(text)
		if err != nil || verr != nil {
			return
		}
		if again, err := JS.Constrain(constraint + " || " + constraint); err != nil || again.Admits(v) != c.Admits(v) {
			t.Fatalf("%q doubled reads differently for %s: %v", constraint, v, err)
		}
		styled, err := JS.Constrain(JS.Restyle(constraint, v))
		if err != nil || !styled.Admits(v) {
			t.Fatalf("%q restyled for %s is %q, which refuses it", constraint, v, styled)
		}
	})
}

func BenchmarkAdmit2000(b *testing.B) {
	var versions []Version
	for i := range 2000 {
		v, _ := JS.Parse(fmt.Sprintf("%d.%d.%d", i/100, i/10%10, i%10))
		versions = append(versions, v)
	}
	list := Sort(versions)
	c, _ := JS.Constrain("^1.2.3-beta.2 || 3.x || >=7.1 <9")
	b.ReportAllocs()
	for b.Loop() {
		list.Admit(c)
	}
}

func mustParse(t *testing.T, text string) Version {
	t.Helper()
	v, err := JS.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

func TestStyles(t *testing.T) {
	v, err := JS.Parse("2.4.3")
	if err != nil {
		t.Fatal(err)
	}
	for style, want := range map[Style]string{NextMinor: "^2.4.3", NextPatch: "~2.4.3", Exact: "2.4.3", Any: "*"} {
		got := JS.Styled(style, v)
		if got != want || JS.StyleOf(got) != style {
			t.Errorf("%s is %q, which is read as %q", style, got, JS.StyleOf(got))
		}
	}
	for _, odd := range []string{">=2", "1.x", "^1 || ^2", "1 - 2", "next"} {
		if got := JS.StyleOf(odd); got != OtherStyle {
			t.Errorf("%q has style %q", odd, got)
		}
	}
	for constraint, want := range map[string]Style{"=1.2.3": Exact, "^1": NextMinor, "~1.2": NextPatch, " * ": Any, "": Any} {
		if got := JS.StyleOf(constraint); got != want {
			t.Errorf("%q has style %q, want %q", constraint, got, want)
		}
	}
}

func TestNext(t *testing.T) {
	for _, test := range []struct {
		from string
		jump Jump
		want string
	}{
		{"2.14.3", Patch, "2.14.4"}, {"2.14.3", Minor, "2.15.0"}, {"2.14.3", Major, "3.0.0"}, {"0.4.1", Major, "1.0.0"},
		{"3.0.0-rc.1", Patch, "3.0.0"}, {"3.0.0-rc.1", Major, "3.0.0"}, {"3.1.0-rc.1", Major, "4.0.0"}, {"3.1.0-rc.1", Minor, "3.1.0"}, {"3.1.2-rc.1", Minor, "3.2.0"},
	} {
		v, err := JS.Parse(test.from)
		if err != nil {
			t.Fatal(err)
		}
		if got := JS.Next(v, test.jump); got != test.want {
			t.Errorf("%s by %s is %s, not %s", test.from, test.jump, got, test.want)
		}
	}
}

// A version with a leading v or = is the plain one written otherwise.
func TestLeadingLetter(t *testing.T) {
	for _, text := range []string{"v1.2.3-a+b", "=1.2.3-a+b", " = v1.2.3-a+b "} {
		if v, err := JS.Parse(text); err != nil || v.String() != "1.2.3-a+b" {
			t.Errorf("%q is %v, %v", text, v, err)
		}
	}
}
