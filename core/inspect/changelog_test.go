package inspect

import (
	"fmt"
	"strings"
	"testing"

	"molt/core/version"
	"molt/ecosystem/js/ranges"
)

func parsed(t testing.TB, text string) version.Version {
	t.Helper()
	v, err := ranges.Scheme.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

func TestReadLog(t *testing.T) {
	const hashes = "# Changes\n\nIntro 9.9.9\n\n## [3.0.0] - 2025-02-01\n\n### Added\n\n- sails\n\n### Breaking " +
		"changes\n\n- no oars\n```\n## 2.5.0 is no heading\n```\n\n### Fixed\n- a leak\n\n## v2.1.0 (2024-05-05)\n- " +
		"Breaking: the rope is shorter\n- a knot\n\n## 2.0.0\n- old\n\n# Contributors\n- the crew\n"
	const underlined = "Changes\n=======\n\n3.0.0 / 2025-02-01\n------------------\n * no oars, which is breaking\n * " +
		"sails\n\n2.1.0 / 2024\n------------\n * a knot\n\n2.0.0\n-----\n * old\n"
	for _, test := range []struct{ name, text, after, upTo, want string }{
		{"hashes", hashes, "2.0.0", "3.0.0", "3.0.0 [### Breaking changes||- no oars|```|## 2.5.0 is no heading|```] [### " +
			"Added||- sails||### Fixed|- a leak]; 2.1.0 [- Breaking: the rope is shorter] [- a knot]"},
		{"up to a release", hashes, "2.0.0", "2.1.0", "2.1.0 [- Breaking: the rope is shorter] [- a knot]"},
		{"underlined", underlined, "2.0.0",
			"3.0.0", "3.0.0 [ * no oars, which is breaking] [ * sails]; 2.1.0 [] [ * a knot]"},
		{"line ends of another system", strings.ReplaceAll(underlined, "\n", "\r\n"), "2.1.0", "3.0.0",
			"3.0.0 [ * no oars, which is breaking] [ * sails]"},
		{"nothing between", hashes, "3.0.0", "3.0.0", ""},
		{"no log at all", "just words\n", "1.0.0", "3.0.0", ""},
	} {
		var got []string
		for _, e := range ReadLog(ranges.Scheme, test.text, parsed(t, test.after), parsed(t, test.upTo)) {
			got = append(got, fmt.Sprintf("%s [%s] [%s]", e.Release, strings.Join(e.Breaking, "|"), strings.Join(e.Rest, "|")))
		}
		if strings.Join(got, "; ") != test.want {
			t.Errorf("%s: read\n%s\nwant\n%s", test.name, strings.Join(got, "; "), test.want)
		}
	}
}

func FuzzReadLog(f *testing.F) {
	f.Add("## 1.0.0\n- a\n### Breaking\n- b\n")
	f.Add("1.0\n===\n\n```\n# 2.0.0\n")
	f.Fuzz(func(t *testing.T, text string) {
		for _, e := range ReadLog(ranges.Scheme, text, nil, parsed(t, "99.0.0")) {
			if len(e.Breaking)+len(e.Rest) == 0 {
				t.Errorf("an empty entry for %s", e.Release)
			}
		}
	})
}

// A line without an end, and lines without an end of them, are read as far as a person would.
func TestHugeChangeLog(t *testing.T) {
	v, err := ranges.Scheme.Parse("2.0.0")
	if err != nil {
		t.Fatal(err)
	}
	entries := ReadLog(ranges.Scheme, "# 2.0.0\n"+strings.Repeat("breaking x 1.2.3 ", 1<<20), nil, v)
	if len(entries) != 1 || len(entries[0].Breaking) != 1 || len(entries[0].Breaking[0]) > longestLine+10 {
		t.Errorf("one long line gives %d entries", len(entries))
	}
	entries = ReadLog(ranges.Scheme, "# 2.0.0\n"+strings.Repeat("- x\n", mostLines+100), nil, v)
	if len(entries) != 1 || len(entries[0].Rest) > mostLines+1 {
		t.Errorf("many lines give %d entries", len(entries))
	}
}
