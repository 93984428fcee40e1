package ecosystem_test

import (
	"bytes"
	"fmt"
	"testing"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
)

func digested(tb testing.TB) *universe.Package {
	tb.Helper()
	table, err := standin.ReadUniverse("u", []byte(`package keel
  about   Holds it together
  home    https://keel.example/
  licence MIT
  tag     latest 2.0.0
  1.0.0   2023-01-31  rope@^1 old=nail@^1 opt:lamp@* peer:mast@>=1&<3 peer?:flag@^1 runtime:node@>=18
  1.1.0   2023-02-28  rope@^1 old=nail@^1 opt:lamp@* peer:mast@>=1&<3 peer?:flag@^1 runtime:node@>=18
  2.0.0   2024-01-31  rope@^2 peer:mast@>=1&<3  ! renamed to rudder
  2.1.0-rc.1
`), ranges.Scheme)
	if err != nil {
		tb.Fatal(err)
	}
	p := table.Table["keel"]
	p.Current = "2.0.0"
	p.At(0).Withdrawn = "it leaks"
	p.At(1).Covered = []universe.Demand{{As: "rope", Package: "rope", Text: "^1", When: "x", Extras: "a,b", Foreign: true}}
	p.At(1).Files = []universe.File{
		{Address: "a", Integrity: "sha512-x", Size: 1 << 40, Kind: "k", When: "os:linux"}, {Address: "b"}}
	return p
}

func shown(p *universe.Package) string {
	return fmt.Sprintf("%s %+v %+v %s %+v %v", p.Name, p.Copies(), p.Tags, p.Current, p.Notes, p.Versions())
}

// A digest has all that a package has, and whatever is cut or changed is no digest or another
// package, and never more than that.
func TestDigest(t *testing.T) {
	p := digested(t)
	data := ecosystem.EncodeDigest(p)
	got, err := ecosystem.DecodeDigest(ranges.Scheme, string(data))
	if err != nil || shown(got) != shown(p) {
		t.Fatalf("%v\n%s\nwant\n%s", err, shown(got), shown(p))
	}
	if !bytes.Equal(ecosystem.EncodeDigest(got), data) {
		t.Error("another digest the second time")
	}
	if a, b := got.Release("1.0.0").Needs, got.Release("1.1.0").Needs; &a[0] != &b[0] {
		t.Error("equal lists are kept twice")
	}
	for k := range data {
		if _, err := ecosystem.DecodeDigest(ranges.Scheme, string(data[:k])); err == nil {
			t.Fatalf("%d bytes of %d are a digest", k, len(data))
		}
	}
	if _, err := ecosystem.DecodeDigest(ranges.Scheme, string(append(data, 0))); err == nil {
		t.Error("a digest with something behind it is one")
	}
}

func FuzzDecodeDigest(f *testing.F) {
	f.Add(ecosystem.EncodeDigest(digested(f)))
	f.Add([]byte{1, 0, 0, 0, 0})
	f.Fuzz(func(t *testing.T, data []byte) {
		if ecosystem.CheckDigest(ranges.Scheme, string(data)) != nil {
			return
		}
		p, err := ecosystem.DecodeDigest(ranges.Scheme, string(data))
		if err != nil {
			t.Fatal(err)
		}
		again, err := ecosystem.DecodeDigest(ranges.Scheme, string(ecosystem.EncodeDigest(p)))
		if err != nil || shown(again) != shown(p) {
			t.Errorf("%v\n%s\nwas\n%s", err, shown(again), shown(p))
		}
	})
}
