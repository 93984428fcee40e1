package requirement

import (
	"errors"
	"strings"
	"testing"
)

func TestParse(t *testing.T) {
	for text, want := range map[string]string{
		"Keel.Bolt":                          "keel-bolt",
		"a_b--c [] >= 1.0 , < 2":             "a-b-c>=1.0,<2",
		"keel[Rope_X, anchor,anchor](>=1.0)": "keel[anchor,rope-x]>=1.0",
		"keel @ https://x.example/k-1.zip#sha256=aa ; os.name == 'posix'":        `keel @ https://x.example/k-1.zip#sha256=aa ; os_name == "posix"`,
		"keel>=1;python_version<'3.9' and (os_name=='nt' or (extra == \"A_b\"))": `keel>=1 ; python_version < "3.9" and (os_name == "nt" or extra == "A_b")`,
		"keel===1.0x;'linux' in sys_platform":                                    `keel===1.0x ; "linux" in sys_platform`,
		`keel;platform_version not in 'a"b'`:                                     `keel ; platform_version not in 'a"b'`,
		"keel==1.0,":                                                             "keel==1.0,",
	} {
		r, err := Parse(text)
		if err != nil || r.String() != want {
			t.Errorf("%q is %v, %v; want %q", text, r, err, want)
			continue
		}
		if got := text[r.SpecifierFrom:r.SpecifierTo]; got != r.Specifier {
			t.Errorf("%q: the specifier %q stands at %q", text, r.Specifier, got)
		}
		if again, err := Parse(r.String()); err != nil || again.String() != want {
			t.Errorf("%q is read as %v, %v", r, again, err)
		}
	}
}

func TestErrors(t *testing.T) {
	for text, offset := range map[string]int{
		"": 0, "-x": 0, "keel 1.0": 5, "keel[": 5, "keel[a b]": 7, "keel[_]": 5, "keel>=": 6, "keel>=1.0 <2": 10,
		"keel (>=1.0": 11, "keel @": 6, "keel,": 4, "keel>=1,,<2": 8,
		"keel; python": 6, "keel; python_version": 20, "keel; python_version < ": 23, "keel; python_version < 3": 23,
		"keel; 'a' == 'b'": 6, "keel; os_name == 'nt' x": 22,
		"keel; (os_name == 'nt'": 22, "keel; os_name not 'nt'": 18, "keel; os_name == 'nt": 17,
		"keel @ https://x.example/a x": 27, "keel>=1.0.*": 9,
		"keel;" + strings.Repeat("(", 200): 105,
	} {
		_, err := Parse(text)
		var bad *Error
		if !errors.As(err, &bad) || bad.Offset != offset {
			t.Errorf("%q: %v, want an error at offset %d", text, err, offset)
		}
	}
}

func TestHolds(t *testing.T) {
	e := Environment{"os_name": "posix", "sys_platform": "linux", "platform_machine": "x86_64",
		"platform_release": "6.1.0-13-amd64", "python_version": "3.10", "python_full_version": "3.10.2", "extra": "big-rope"}
	for marker, want := range map[string]bool{
		"python_version >= '3.9'": true, "python_version < '3.9'": false, "'3.9' <= python_version": true,
		"python_version == '3.*'": true, "python_version in '2.7 3.10'": true, "python_full_version == '3.10'": false,
		"sys_platform == 'win32' or os_name == 'posix'":                          true,
		"sys_platform == 'win32' or os_name == 'posix' and python_version < '3'": false, "extra == 'Big_Rope'": true,
		"extra != 'big.rope'":      false,
		"platform_release >= '20'": false, "python_version != 'abc'": true, "'abc' != python_version": false,
		"implementation_name == ''": true, "'lin' in sys_platform": true, "'win' not in sys_platform": true,
		"'a' in dependency_groups": false, "sys_platform > 'a'": false,
	} {
		m, err := ParseMarker(marker)
		if err != nil || m.Holds(e) != want {
			t.Errorf("%s holds: %v, %v", marker, !want, err)
		}
	}
}

func TestWithoutExtra(t *testing.T) {
	for _, test := range []struct{ marker, extra, want string }{
		{"extra == 'a'", "a", "always"}, {"extra == 'a'", "", "never"},
		{"extra == 'a' and os_name == 'nt'", "A", `os_name == "nt"`},
		{"extra == 'a' or os_name == 'nt'", "", `os_name == "nt"`},
		{"extra == 'a' or os_name == 'nt'", "a", "always"}, {"os_name == 'nt'", "a", `os_name == "nt"`},
		{"(extra == 'a' or extra == 'b') and python_version < '4'", "b", `python_version < "4"`},
		{"extra == 'a' and extra == 'b'", "b", "never"}, {"extra != 'a'", "", "always"},
	} {
		m, err := ParseMarker(test.marker)
		if err != nil {
			t.Fatal(err)
		}
		rest, ok := m.WithoutExtra(test.extra)
		got := "never"
		if ok && rest == nil {
			got = "always"
		} else if ok {
			got = rest.String()
		}
		if got != test.want {
			t.Errorf("%s with %q leaves %s, want %s", test.marker, test.extra, got, test.want)
		}
	}
}

func TestJoining(t *testing.T) {
	a, _ := ParseMarker("os_name == 'nt'")
	b, _ := ParseMarker("python_version < '3' or extra == 'x'")
	if got, want := And(a, nil, b, a).String(), `os_name == "nt" and (python_version < "3" or extra == "x")`; got != want {
		t.Errorf("%s, want %s", got, want)
	}
	if Or(a, nil) != nil || Or(a, a).String() != a.String() || And() != nil {
		t.Error("what always holds is nil")
	}
}

// FuzzParse checks that what can be read is written in a form that reads the same.
func FuzzParse(f *testing.F) {
	f.Add("keel[a,b]>=1.0,<2 ; python_version < '3.9' and (os_name == 'nt' or extra == 'x')")
	f.Add("keel @ https://x.example/k.zip ; os_name == 'nt'")
	f.Fuzz(func(t *testing.T, text string) {
		r, err := Parse(text)
		if err != nil {
			var bad *Error
			if !errors.As(err, &bad) || bad.Offset > len(text) || bad.Offset < 0 {
				t.Fatalf("%q: %v", text, err)
			}
			return
		}
		again, err := Parse(r.String())
		if err != nil || again.String() != r.String() {
			t.Fatalf("%q is written %q, which is read as %v, %v", text, r, again, err)
		}
	})
}
