package ranges

import (
	"errors"
	"strings"
	"testing"

	"molt/core/version"
	"molt/core/version/versiontest"
)

func TestConstraints(t *testing.T) {
	versiontest.Check(t, Scheme, [][3]string{
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
	})
}

func TestErrors(t *testing.T) {
	tests := []struct {
		text   string
		offset int
	}{
		{"^", 1}, {">=", 2}, {"1.", 2}, {"01.2.3", 0}, {"1.02", 2}, {"1.2.3.4", 5}, {"1.2.3-", 6}, {"1.2.3-01", 6},
		{"1.2.3+", 6}, {"1.2-beta", 3}, {"latest", 0}, {"^1 | ^2", 3}, {"1.2.3,1.2.4", 5}, {"==1.2.3", 1},
		{"vv1.2.3", 0}, {"v 1.2.3", 1}, {">=1.2.3<2.0.0", 7}, {"1.2.3 -2.0.0", 6}, {"1 - 2 3", 6}, {"=1.2.3 - 2", 7},
		{"1.2.3 - =2.0.0", 8}, {"1 - 2 - 3", 6},
		{">=^1", 2}, {"9007199254740992", 0}, {"file:../x", 0}, {"1.2.3-a..b", 8}, {"^1 || ^", 7}, {"1.2.ü", 4},
	}
	for _, test := range tests {
		_, err := Scheme.Constrain(test.text)
		var bad *version.Error
		if !errors.As(err, &bad) || bad.Offset != test.offset {
			t.Errorf("%q: %v, want an error at offset %d", test.text, err, test.offset)
		}
	}
	for _, text := range []string{"", "1", "1.2", "1.2.x", "1.2.3 4", "1.2.3-", "a.b.c", "1.2.3-00"} {
		if v, err := Scheme.Parse(text); err == nil {
			t.Errorf("version %q was read as %s", text, v)
		}
	}
}

func TestRestyle(t *testing.T) {
	tests := []struct{ constraint, to, want string }{
		{"~2.1.0", "2.4.3", "~2.4.3"}, {"^2.1.0", "3.0.1", "^3.0.1"}, {"^2.1.0", "2.4.3", "^2.1.0"},
		{"2.1.0", "2.4.3", "2.4.3"},
		{"=2.1.0", "2.4.3", "=2.4.3"}, {"2.x", "3.1.4", "3.x"}, {"2", "3.1.4", "3"}, {"~2.1", "2.4.3", "~2.4"},
		{"2.1.x", "2.4.3", "2.4.x"},
		{"*", "9.0.0", "*"}, {">=2", "3.0.0", ">=2"}, {"<3", "3.1.0", "^3.1.0"}, {"^1 || ^2", "3.1.0", "^3.1.0"},
		{"1.0.0 - 2.0.0", "3.1.0", "^3.1.0"},
		{"^2.1.0", "3.0.0-rc.1", "^3.0.0-rc.1"}, {"2.x", "3.0.0-rc.1", "3.0.0-rc.1"}, {"latest", "3.0.0", "^3.0.0"},
		{">2.5.0", "1.0.0", "^1.0.0"},
	}
	for _, test := range tests {
		if got := version.Restyled(Scheme, test.constraint, mustParse(t, test.to)); got != test.want {
			t.Errorf("%q at %s becomes %q, want %q", test.constraint, test.to, got, test.want)
		}
	}
}

func TestBounded(t *testing.T) {
	for text, want := range map[string]bool{
		"^3": true, "3.x": true, "1.2.3": true, "1 - 2": true, "<4": true, ">=2": false, "*": false, "^3 || >=5": false,
	} {
		if c, _ := Scheme.Constrain(text); c.Bounded() != want {
			t.Errorf("%q bounded: %v", text, !want)
		}
	}
}

func FuzzConstrain(f *testing.F) {
	for _, seed := range []string{
		"^1.2.3-beta.2 || 3.x", "1.2 - 2", ">= v1 <2", "~>0.0.1", "", "1.2.3+b", "> =1", "x.1-a"} {
		f.Add(seed, "1.2.3")
	}
	f.Fuzz(func(t *testing.T, constraint, text string) {
		c, err := Scheme.Constrain(constraint)
		var bad *version.Error
		if err != nil && (!errors.As(err, &bad) || bad.Offset < 0 || bad.Offset > len(constraint)) {
			t.Fatalf("error without a place: %v", err)
		}
		v, verr := Scheme.Parse(text)
		if err != nil || verr != nil {
			return
		}
		if again, err := Scheme.Constrain(constraint + " || " + constraint); err != nil ||
			version.Admits(again, v) != version.Admits(c, v) {
			t.Fatalf("%q doubled reads differently for %s: %v", constraint, v, err)
		}
		styled, err := Scheme.Constrain(version.Restyled(Scheme, constraint, v))
		if err != nil || !version.Admits(styled, v) {
			t.Fatalf("%q restyled for %s is %q, which refuses it", constraint, v, styled)
		}
	})
}

func TestStyles(t *testing.T) {
	v, err := Scheme.Parse("2.4.3")
	if err != nil {
		t.Fatal(err)
	}
	for style, want := range map[version.Style]string{
		version.NextMinor: "^2.4.3", version.NextPatch: "~2.4.3", version.Exact: "2.4.3", version.Any: "*"} {
		got := Scheme.Styled(style, v)
		if got != want || Scheme.StyleOf(got) != style {
			t.Errorf("%s is %q, which is read as %q", style, got, Scheme.StyleOf(got))
		}
	}
	for _, odd := range []string{">=2", "1.x", "^1 || ^2", "1 - 2", "next"} {
		if got := Scheme.StyleOf(odd); got != version.OtherStyle {
			t.Errorf("%q has style %q", odd, got)
		}
	}
	for constraint, want := range map[string]version.Style{
		"=1.2.3": version.Exact, "^1": version.NextMinor, "~1.2": version.NextPatch, " * ": version.Any, "": version.Any} {
		if got := Scheme.StyleOf(constraint); got != want {
			t.Errorf("%q has style %q, want %q", constraint, got, want)
		}
	}
}

// A version with a leading v or = is the plain one written otherwise.
func TestLeadingLetter(t *testing.T) {
	for _, text := range []string{"v1.2.3-a+b", "=1.2.3-a+b", " = v1.2.3-a+b "} {
		if v, err := Scheme.Parse(text); err != nil || v.String() != "1.2.3-a+b" {
			t.Errorf("%q is %v, %v", text, v, err)
		}
	}
}

func mustParse(t *testing.T, text string) version.Version {
	t.Helper()
	v, err := Scheme.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

func TestWhatConstraintsName(t *testing.T) {
	for text, want := range map[string]string{
		"^1.2.3 || >=2 <3.1": "1.2.3 2.0.0 3.1.0", "*": "", "18.x": "18.0.0", "1 - 2.5": "1.0.0 2.5.0",
	} {
		if got := join(version.Mentions(Scheme, text)); got != want {
			t.Errorf("%q names %q, want %q", text, got, want)
		}
	}
	for text, want := range map[string]string{
		"Needs brackwater 4.2 or v5.0.0-rc.1.": "4.2.0 5.0.0-rc.1", "on 2026-11-25, version 7": "", "see 1.2.3.4": "",
	} {
		if got := join(version.FindIn(Scheme, text)); got != want {
			t.Errorf("%q names %q, want %q", text, got, want)
		}
	}
	for text, want := range map[string]string{
		"18": "18.0.0", "2-rc.1": "2.0.0-rc.1", "v18.2": "18.2.0", "18.2.1": "18.2.1", "x": "", "": ""} {
		if v, err := version.Complete(Scheme, text); (err == nil) != (want != "") || err == nil && v.String() != want {
			t.Errorf("%q is %v, %v, want %q", text, v, err, want)
		}
	}
}

func join(versions []version.Version) string {
	var all []string
	for _, v := range versions {
		all = append(all, v.String())
	}
	return strings.Join(all, " ")
}

// The laws of version.Scheme. A constraint says of each version of a list what it says of the
// version alone, prereleases included: version.Pointwise.
func TestPointwise(t *testing.T) {
	if _, pointwise := Scheme.(version.Pointwise); !pointwise {
		t.Fatal("the scheme does not say so")
	}
	var list version.List
	for _, text := range strings.Fields(
		"0.0.0 0.3.1 0.3.2-rc.1 1.0.0-a 1.0.0 1.2.3-beta.2 1.2.3 1.4.0 2.0.0-0 2.0.0-rc.1 2.0.0 3.1.0") {
		list = append(list, mustParse(t, text))
	}
	for _, text := range []string{
		"*", "", "1", "^1.2.3-beta.1", "~1.2.3-0 || 2.x", ">=1 <2.0.0-0", "<2", ">1.0.0-a", "1.0.0 - 2.0.0-rc.1",
		"=2.0.0-rc.1", "<*", "^0.3.0 || >2"} {
		c, err := Scheme.Constrain(text)
		if err != nil {
			t.Fatal(err)
		}
		all := c.Admit(list)
		for i, v := range list {
			if all.Has(i) != version.Admits(c, v) {
				t.Errorf("%q admits %s in a list: %v, and alone: %v", text, v, all.Has(i), !all.Has(i))
			}
		}
	}
}

func TestLaws(t *testing.T) {
	for _, text := range strings.Fields("0.0.0 0.3.1 1.2.3 2.0.0-rc.1 10.4.0+build") {
		v, before := mustParse(t, text), mustParse(t, "0.0.0-0")
		for _, c := range []string{version.Only(Scheme, v), Scheme.AtLeast(v), version.Restyled(Scheme, "~1", v),
			Scheme.Styled(version.NextMinor, v)} {
			if got, err := Scheme.Constrain(c); err != nil || !version.Admits(got, v) || version.Admits(got, before) {
				t.Errorf("%q for %s: %v", c, v, err)
			}
		}
		if any, err := Scheme.Constrain(Scheme.Any()); err != nil || version.Admits(any, v) == v.Prerelease() {
			t.Errorf("%q and %s: %v", Scheme.Any(), v, err)
		}
	}
}
