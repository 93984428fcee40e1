package specifiers

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"molt/core/version"
	"molt/core/version/versiontest"
)

func mustParse(t testing.TB, text string) *Version {
	t.Helper()
	v, err := Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// TestOrder has versions in the order that the specification gives them.
func TestOrder(t *testing.T) {
	order := strings.Fields("0.dev1 0a1 0 1.dev0 1.0.dev456 1.0a1 1.0a2.dev456 1.0a12.dev456 1.0a12 1.0b1.dev456 1.0b2 " +
		"1.0b2.post345.dev456 1.0b2.post345 1.0rc1.dev456 1.0rc1 1.0 1.0+abc.5 1.0+abc.7 1.0+5 1.0.post456.dev34 " +
		"1.0.post456 1.0.15 1.1.dev1 1.1 99999999999999999999.0 1!0.1")
	for i := range order {
		for k := range order {
			got := mustParse(t, order[i]).Compare(mustParse(t, order[k]))
			if want := i - k; got < 0 != (want < 0) || got > 0 != (want > 0) {
				t.Errorf("%s against %s: %d", order[i], order[k], got)
			}
		}
	}
}

func TestNormal(t *testing.T) {
	for text, want := range map[string]string{
		"v1.0": "1.0", " 1.0-ALPHA_3 ": "1.0a3", "1.0preview": "1.0rc0", "1.0-c-2": "1.0rc2", "01.002": "1.2",
		"1.0-1": "1.0.post1", "1.0rev": "1.0.post0", "1.0r4.dev": "1.0.post4.dev0",
		"1.0+Ubuntu-01_x": "1.0+ubuntu.1.x", "00!1": "1", "2!1.0a.b": "", "1.0--1": "", "1.0+": "", "1..0": "", "": "",
		"x": "", "1.0 2": "", "1.0.*": "", "1.0alpha-": "1.0a0", "3.3-a--1": "3.3a0.post1",
	} {
		v, err := Parse(text)
		if want == "" {
			var bad *version.Error
			if !errors.As(err, &bad) {
				t.Errorf("%q was read as %v, %v", text, v, err)
			}
			continue
		}
		if err != nil || v.Normal() != want {
			t.Errorf("%q is %v (%v), want %s", text, v, err, want)
		}
	}
}

func TestClauses(t *testing.T) {
	versiontest.Check(t, Scheme, [][3]string{
		{"~=2.2", "2.2 2.9.1 2.2.post3", "2.1 3.0 2.2rc1 1!2.3"},
		{"~=2.2.post3", "2.2.post3 2.3", "2.2 2.2.post2 3.0"},
		{"~=1.4.5a4", "1.4.5a4 1.4.5 1.4.9", "1.5 1.4.5a3"},
		{"~=2.2.0", "2.2 2.2.7", "2.3"},
		{"==1.1", "1.1 1.1.0 1.1+abc v1.1.0", "1.1.post1 1.1a1 1.1.1 1!1.1"},
		{"==1.1+abc", "1.1+ABC 1.1.0+abc", "1.1 1.1+abd"},
		{"==1.1.*", "1.1 1.1.post1 1.1a1 1.1.9 1.1.dev1", "1.2 1.0 1!1.1"},
		{"==1.0.0.*", "1 1.0 1.0.0.5", "1.0.1"},
		{"!=1.1.*", "1.2 1.0", "1.1 1.1.post1 1.1a1"},
		{"!=1.1", "1.1.post1 1.1.1", "1.1 1.1.0 1.1+x"},
		{">1.7", "1.7.1 1.8", "1.7 1.7.0.post1 1.7+x 1.6"},
		{">1.7.post2", "1.7.post3 1.7.1", "1.7.post2 1.7 1.7.post2+x"},
		{">1.7rc1", "1.7 1.7.post1 1.7+x", "1.7rc1 1.7rc1.post1"},
		{"<1.7", "1.6", "1.7 1.7a1 1.7.dev1 1.7rc1.post1"},
		{"<1.7.post1", "1.7 1.7a1", "1.7.post1 1.7.post1.dev2"},
		{"<1.7rc1", "1.7a1 1.6", "1.7rc1 1.7"},
		{">=1.0", "1.0 1.0+x 1.0.post1 9", "1.0a1 1.0.dev9"},
		{"<=1.0", "1.0 1.0+x 0.9", "1.0.post1 1.1"},
		{"===1.0", "1.0", "1.0.0 1.0+x"},
		{"===1.0+Abc", "1.0+abc", "1.0"},
		{">= 3.2 , < 4 , != 3.2.5,", "3.2 3.9", "3.2.5 4.0 3.1"},
		{"", "0 1.0a1", ""},
		{"==1!2.*", "1!2.5", "2.5"},
	})
}

// TestPrereleases shows the rule about the list.
func TestPrereleases(t *testing.T) {
	for _, test := range []struct{ constraint, list, want string }{
		{">=1.0", "1.0 1.1 2.0a1", "1.0 … 1.1"},
		{">=1.0", "0.9 2.0a1 2.0b1.dev3", "2.0a1 … 2.0b1.dev3"},
		{">=1.0a1", "1.0 2.0a1", "1.0 … 2.0a1"},
		{"!=1.0a1", "1.0 2.0a1", "1.0"},
		{"==2.0a1", "1.0 2.0a1", "2.0a1"},
		{"===2.0a1", "1.0 2.0a1", "2.0a1"},
		{"", "1.0.dev1 1.0.post1.dev2", "1.0.dev1 … 1.0.post1.dev2"},
	} {
		var l version.List
		for _, text := range strings.Fields(test.list) {
			l = append(l, mustParse(t, text))
		}
		c, err := Scheme.Constrain(test.constraint)
		if err != nil {
			t.Fatal(err)
		}
		if got := l.Describe(c.Admit(l)); got != test.want {
			t.Errorf("%q of %s admits %s, want %s", test.constraint, test.list, got, test.want)
		}
	}
}

func TestErrors(t *testing.T) {
	for text, offset := range map[string]int{
		"1.0": 0, "^1.0": 0, ">=": 2, ">=x": 2, ">=1.0 <2": 6, ">=1.0.*": 5, "==1.0a1.*": 7, "~=1": 2, "~=1.0+x": 2,
		"<1.0+x": 1, "==1.0+": 6, "===": 3, "=1.0": 0, "==1.0;": 5, "==1.0.": 5, "==1!": 4, "*": 0,
	} {
		_, err := Scheme.Constrain(text)
		var bad *version.Error
		if !errors.As(err, &bad) || bad.Offset != offset {
			t.Errorf("%q: %v, want an error at offset %d", text, err, offset)
		}
	}
}

func TestRestyle(t *testing.T) {
	tests := []struct{ constraint, to, want string }{
		{">=3.2,<4", "3.9", ">=3.2,<4"}, {">=3.2,<4", "4.2.1", ">=4.2.1,<5"}, {">=3.2,<4.0", "4.2.1", ">=4.2.1,<5.0"},
		{">=3.2, <3.3", "4.2.1", ">=4.2.1, <4.3"}, {"<4,>=3.2", "4.2.1", "<5,>=4.2.1"},
		{">=3.2,<4,!=3.2.5", "4.2.1", ">=4.2.1,<5"}, {">=3.2,<5,!=4.2.1", "4.2.1", ">=4.2.1,<5"},
		{"==3.2.5", "4.2.1", "==4.2.1"}, {"== 3.2.5", "4.2.1", "== 4.2.1"}, {"===3.2.5", "4.2.1", "===4.2.1"},
		{"~=3.2", "4.2.1", "~=4.2"}, {"~=3.2.1", "4.2.1", "~=4.2.1"}, {"==3.*", "4.2.1", "==4.*"},
		{"==3.2.*", "4.2.1", "==4.2.*"}, {"<4", "4.2.1", "<5"}, {"<=3.9", "4.2.1", "<=4.2.1"},
		{"", "4.2.1", ""}, {">3", "2.0", ">=2.0,<3"}, {"rubbish", "0.4.2", ">=0.4.2,<0.5"},
		{">=1,<2", "3.0rc1", ">=3.0rc1,<4"}, {"~=1.4.2", "1!2.0", "~=1!2.0.0"}, {"<=2.9,>=2.1", "2.0.1", "<=2.9,>=2.0.1"},
	}
	for _, test := range tests {
		if got := version.Restyled(Scheme, test.constraint, mustParse(t, test.to)); got != test.want {
			t.Errorf("%q at %s becomes %q, want %q", test.constraint, test.to, got, test.want)
		}
	}
}

func TestStyles(t *testing.T) {
	for _, text := range []string{"4.2.1", "4.2", "0.3.7", "0.0.5", "1!2.3.4", "5.0rc1", "5.0.post2"} {
		v := mustParse(t, text)
		for _, style := range version.Styles {
			constraint := Scheme.Styled(style, v)
			c, err := Scheme.Constrain(constraint)
			if err != nil || !version.Admits(c, v) || Scheme.StyleOf(constraint) != style && v.lead() == 0 {
				t.Errorf("%s of %s is %q, of style %q: %v", style, text, constraint, Scheme.StyleOf(constraint), err)
			}
		}
	}
	for constraint, want := range map[string]version.Style{
		"==2.*": version.NextMinor, "==2.1.*": version.NextPatch, "~=2.1": version.NextMinor, ">=2": "", ">=2,<5": "",
		">=2.1,<2.2": version.NextPatch, "<3,>=2.4": version.NextMinor, ">=1,<2,!=1.5": ""} {
		if got := Scheme.StyleOf(constraint); got != want {
			t.Errorf("%q has the style %q, want %q", constraint, got, want)
		}
	}
}

func TestJumps(t *testing.T) {
	for _, test := range []struct {
		from, to string
		want     version.Jump
		breaking bool
		next     string // by the jump
	}{
		{"4.2.1", "4.2.2", version.Patch, false, "4.2.2"}, {"4.2.1", "4.3", version.Minor, false, "4.3.0"},
		{"4.2", "5.0", version.Major, true, "5.0"}, {"4.2", "4.2.0", version.Same, false, ""},
		{"0.4.1", "0.5.0", version.Minor, true, "0.5.0"}, {"4.2", "4.1", version.Back, true, ""},
		{"4.2", "4.2.post1", version.Patch, false, ""}, {"5.0a1", "5.0", version.Pre, true, ""},
		{"9.0", "1!0.1", version.Major, true, "10.0"},
		{"2024.9", "2025.1", version.Major, true, "2025.0"},
	} {
		from, to := mustParse(t, test.from), mustParse(t, test.to)
		if got := Scheme.Jump(from, to); got != test.want {
			t.Errorf("%s to %s is %s, want %s", test.from, test.to, got, test.want)
		}
		if got := version.Breaking(Scheme, from, to); got != test.breaking && test.want != version.Back {
			t.Errorf("%s to %s breaks: %v", test.from, test.to, got)
		}
		if test.next != "" && Scheme.Next(from, test.want) != test.next {
			t.Errorf("after %s by a %s comes %s, want %s", test.from, test.want, Scheme.Next(from, test.want), test.next)
		}
	}
}

func TestGoalsAndProse(t *testing.T) {
	for text, want := range map[string]string{
		"5": "==5.*", "4.2": "==4.2.*", ">=4.2,<5": ">=4.2,<5", "5.0rc1": "==5.0rc1", "1!2": "==1!2.*"} {
		if c, err := Scheme.Goal(text); err != nil || c.String() != want {
			t.Errorf("the goal %s is %v, %v; want %s", text, c, err, want)
		}
	}
	var found []string
	for _, v := range version.FindIn(Scheme, "Drops 3.7, adds v3.12 and 5.0rc1; see 2024.1.post2. Not x1.2 nor 7.") {
		found = append(found, v.String())
	}
	if want := []string{"3.7", "3.12", "5.0rc1", "2024.1.post2"}; !slices.Equal(found, want) {
		t.Errorf("found %q, want %q", found, want)
	}
}

// FuzzConstrain checks the laws of version.Scheme on whatever can be read.
func FuzzConstrain(f *testing.F) {
	f.Add(">=3.2,<4,!=3.2.5", "3.9")
	f.Add("~=1.4.5a4", "1.4.5")
	f.Add("===1!2.0+x", "1!2.0+x")
	f.Fuzz(func(t *testing.T, constraint, text string) {
		v, err := Parse(text)
		if err != nil {
			return
		}
		if again, err := Parse(v.Normal()); err != nil || again.Compare(v) != 0 || again.Normal() != v.Normal() {
			t.Fatalf("%q is %q in its normal form, which is %v, %v", text, v.Normal(), again, err)
		}
		if c, err := Scheme.Constrain(version.Only(Scheme, v)); err != nil || !version.Admits(c, v) {
			t.Fatalf("%q: %q does not admit it: %v", text, version.Only(Scheme, v), err)
		}
		if _, err := constrain(constraint); err != nil {
			return
		}
		if len(v.local) > 0 {
			return // bounds do not tell local versions apart
		}
		restyled := version.Restyled(Scheme, constraint, v)
		if c, err := Scheme.Constrain(restyled); err != nil || !version.Admits(c, v) {
			t.Fatalf("%q at %s becomes %q, which does not admit it: %v", constraint, text, restyled, err)
		}
	})
}
