package standin

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"molt/core/universe"
	"molt/ecosystem/js/ranges"
	"molt/input"
)

func TestReadUniverse(t *testing.T) {
	const text = `# a remark
package keel
  about   Holds it together
  home    https://keel.example/
  source  https://code.example/keel
  tag     latest 1.0.0

  1.0.0       2024-05-31  nail@^1||&^2 peer?:mast@* runtime:node@>=18&<23
  2.0.0-rc.1  2024-06-01  ! not yet, wait for 2.0.0
  0.9.0

package @quay/nail
  1.0.0  2023-01-01
`
	table, err := ReadUniverse("x.universe", []byte(strings.ReplaceAll(text, "\n", "\r\n")), ranges.Scheme)
	if err != nil {
		t.Fatal(err)
	}
	p := table.Table["keel"]
	if len(table.Table) != 2 || p.Len() != 3 || p.Tags["latest"] != "1.0.0" || p.Notes.About != "Holds it together" ||
		p.Notes.Repository == "" {
		t.Fatalf("read %+v", p)
	}
	r := p.Release("1.0.0")
	if len(r.Needs) != 1 || r.Needs[0] != (universe.Demand{As: "nail", Package: "nail", Text: "^1|| ^2"}) ||
		fmt.Sprint(r.Runtimes) != "[{node >=18 <23}]" || r.Published.Format(time.DateOnly) != "2024-05-31" {
		t.Errorf("read %+v", r)
	}
	if len(r.Peers) != 1 || !r.Peers[0].Optional {
		t.Errorf("peers %+v", r.Peers)
	}
	if d := p.Release("2.0.0-rc.1").Deprecated; d != "not yet, wait for 2.0.0" {
		t.Errorf("deprecated: %q", d)
	}
	if !p.Release("0.9.0").Published.IsZero() {
		t.Error("a release without a date got one")
	}
}

func TestReadUniverseErrors(t *testing.T) {
	tests := []struct{ text, place, says string }{
		{"keel\n", "1:1", "expected \"package NAME\""},
		{"  1.0.0\n", "1:3", "belongs to no package"},
		{"package\n", "1:1", "expected one package name"},
		{"package a b\n", "1:1", "expected one package name"},
		{"package a\npackage a\n", "2:1", "stands in the file already"},
		{"package a\n  1.0\n", "2:3", "three numbers"},
		{"package a\n  1.0.0 soon\n", "2:3", "expected a date"},
		{"package a\n  1.0.0 2024-01-01\n\n  1.0.0\n", "4:3", "stands in line 2 already"},
		{"package a\n  1.0.0 2024-01-01 nail\n", "2:3", "expected name@constraint"},
		{"package a\n  1.0.0 2024-01-01 near:nail@1\n", "2:3", "none of peer"},
		{"package a\n  1.0.0 2024-01-01 runtime:node\n", "2:3", "runtime:name@constraint"},
		{"package a\n  tag latest\n", "2:3", "tag NAME VERSION"},
	}
	for _, test := range tests {
		_, err := ReadUniverse("x.universe", []byte(test.text), ranges.Scheme)
		var place *input.PositionError
		if !errors.As(err, &place) || !strings.HasPrefix(err.Error(), "x.universe:"+test.place+": ") ||
			!strings.Contains(err.Error(), test.says) {
			t.Errorf("%q: %v, want an error at %s that says %q", test.text, err, test.place, test.says)
		}
	}
}

func FuzzReadUniverse(f *testing.F) {
	f.Add("package a\n  1.0.0 2024-01-01 b@^1 peer:c@* ! old\n  tag latest 1.0.0\n")
	f.Add("package a\n\tabout x\n")
	f.Fuzz(func(t *testing.T, text string) {
		_, err := ReadUniverse("x", []byte(text), ranges.Scheme)
		var place *input.PositionError
		if err != nil && (!errors.As(err, &place) || place.Line < 1 || place.Line > strings.Count(text, "\n")+1) {
			t.Fatalf("an error without a place: %v", err)
		}
	})
}

// An exclusion is a constraint and no deprecation, and two demands on one name are an error.
func TestReadUniverseDemands(t *testing.T) {
	table, err := ReadUniverse("u", []byte("package a\n  1.0.0 2024-01-01 b@>=1&<1.5  ! renamed to c\n"), ranges.Scheme)
	if err != nil || table.Table["a"].At(0).Deprecated != "renamed to c" || len(table.Table["a"].At(0).Needs) != 1 {
		t.Errorf("%+v, %v", table, err)
	}
	if r, err := readRelease(ranges.Scheme, "1.0.0", "2024-01-01 b@!=1.5"); err != nil || r.Deprecated != "" ||
		r.Needs[0].Text != "!=1.5" {
		t.Errorf("an exclusion: %+v, %v", r, err)
	}
	if _, err := ReadUniverse("u", []byte("package a\n  1.0.0 2024-01-01 b@>=1 b@<3\n"), ranges.Scheme); err == nil {
		t.Error("two demands on one name are taken")
	}
}
