package universe

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"molt/ecosystem/js/ranges"
)

func TestSketch(t *testing.T) {
	table, err := Sketch(ranges.Scheme, `
		hulk@1.2: keel@^2 peer:mast@>=3 peer?:flag@* opt:lamp@1 jib=sail@^1&||&^3  # a remark
		hulk@1-beta.2:
		@quay/rope@1`)
	if err != nil {
		t.Fatal(err)
	}
	r := table["hulk"].Release("1.2.0")
	if r == nil || len(r.Needs) != 3 || len(r.Peers) != 2 || table["hulk"].Release("1.0.0-beta.2") == nil ||
		table["@quay/rope"] == nil {
		t.Fatalf("read %+v", table)
	}
	if jib := r.Needs[0]; jib.As != "jib" || jib.Package != "sail" || jib.Text != "^1 || ^3" {
		t.Errorf("the alias was read as %+v", jib)
	}
	for _, bad := range []string{"hulk", "hulk@x", "hulk@1: keel", "hulk@1: near:keel@1", "@1: a@1"} {
		if _, err := Sketch(ranges.Scheme, bad); err == nil {
			t.Errorf("%q was read", bad)
		}
	}
}

func TestPackage(t *testing.T) {
	table, err := Sketch(ranges.Scheme, "keel@2\nkeel@1.0\nkeel@10\nkeel@2\nkeel@11-rc.1")
	if err != nil {
		t.Fatal(err)
	}
	p := table["keel"]
	var order []string
	for _, v := range p.Versions() {
		order = append(order, v.String())
	}
	if got := strings.Join(order, " "); got != "1.0.0 2.0.0 10.0.0 11.0.0-rc.1" {
		t.Errorf("the releases are %s", got)
	}
	if p.Newest().Version.String() != "10.0.0" || p.Stable().Count() != 3 || p.Index("2.0.0") != 1 ||
		p.Release("3.0.0") != nil {
		t.Errorf("newest %s, %d stable", p.Newest().Version, p.Stable().Count())
	}
	p.At(2).Deprecated = "no"
	if p.Newest().Version.String() != "2.0.0" {
		t.Errorf("a deprecated release is the newest: %s", p.Newest().Version)
	}
	p.Tags = map[string]string{"next": "11.0.0-rc.1", "lost": "9.9.9"}
	for text, want := range map[string]int{"next": 1, "^2": 1, "*": 3, ">=11.0.0-0": 1, "9": 0} {
		if set, err := p.Admit(text); err != nil || set.Count() != want {
			t.Errorf("%q admits %d: %v", text, set.Count(), err)
		}
	}
	for _, text := range []string{"lost", "never"} {
		if set, err := p.Admit(text); err == nil || !set.Empty() {
			t.Errorf("%q admits %d: %v", text, set.Count(), err)
		}
	}
	if NewPackage("none", ranges.Scheme, nil).Newest() != nil {
		t.Error("a package without releases has a newest one")
	}
}

func TestFilter(t *testing.T) {
	table, err := Sketch(ranges.Scheme, "keel@1\nkeel@2\nmast@1")
	if err != nil {
		t.Fatal(err)
	}
	day := time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC)
	for i := range table["keel"].Len() {
		table["keel"].At(i).Published = day.AddDate(0, i, 0)
	}
	table["keel"].Tags, table["keel"].Current, table["keel"].Notes = map[string]string{"next": "1.0.0"}, "1.0.0",
		Notes{About: "keeps it upright"}
	s := Filter(table, func(_ string, r *Release) bool { return !r.Published.After(day) })
	for range 2 {
		p, err := s.Package(context.Background(), "keel")
		if err != nil || p.Len() != 1 || p.Tags["next"] != "1.0.0" || p.Current != "1.0.0" || p.Notes.About == "" {
			t.Errorf("filtered: %v, %v", p, err)
		}
	}
	if p, err := s.Package(context.Background(), "mast"); err != nil || p != table["mast"] {
		t.Errorf("a package that loses nothing was made anew: %v", err)
	}
	var unknown *UnknownError
	if _, err := s.Package(context.Background(), "ghost"); !errors.As(err, &unknown) || unknown.Name != "ghost" {
		t.Errorf("ghost: %v", err)
	}
}

// TestWithdrawn has a release that only an exact constraint admits, until it is reinstated.
func TestWithdrawn(t *testing.T) {
	var all []Release
	for _, text := range []string{"1.0.0", "1.1.0", "1.2.0"} {
		v, err := ranges.Scheme.Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, Release{Version: v})
	}
	all[2].Withdrawn = "it sinks"
	p := NewPackage("keel", ranges.Scheme, all)
	admits := func(p *Package, text string) string {
		set, err := p.Admit(text)
		if err != nil {
			t.Fatal(err)
		}
		return p.Versions().Describe(set)
	}
	if got := admits(p, "^1.0.0"); got != "1.0.0 … 1.1.0" {
		t.Errorf("^1.0.0 admits %s", got)
	}
	if got := admits(p, "1.2.0"); got != "1.2.0" {
		t.Errorf("1.2.0 admits %s", got)
	}
	if got := admits(p.Reinstated([]string{"1.2.0"}), "^1.0.0"); got != "1.0.0 … 1.2.0" {
		t.Errorf("reinstated, ^1.0.0 admits %s", got)
	}
	if got := admits(p.Only(func(i int) bool { return i > 0 }), "^1.0.0"); got != "1.1.0" {
		t.Errorf("of some, ^1.0.0 admits %s", got)
	}
}

// Which releases make a demand is the same however often that was asked before.
func TestMakingNeed(t *testing.T) {
	var text strings.Builder
	for i := range 3 * mostScans {
		fmt.Fprintf(&text, "\nkeel@%d: mast@* oar%d@^1 rope@^%d", i+1, i, i%7)
	}
	table, err := Sketch(ranges.Scheme, text.String())
	if err != nil {
		t.Fatal(err)
	}
	p := table["keel"]
	for w := range p.Len() {
		for k, d := range p.Needs(w) {
			got := p.MakingNeed(w, k)
			for i := range p.Len() {
				if got.Has(i) != slices.Contains(p.Needs(i), d) {
					t.Fatalf("need %s %s of release %d: release %d is said to make it: %v", d.As, d.Text, w, i, got.Has(i))
				}
			}
		}
	}
}
