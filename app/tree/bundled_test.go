package tree

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"molt/core/solve"
	"molt/ecosystem"
	"molt/registry"
	"molt/store"
)

// What an archive brings along in a folder of packages stays, but where the lock has a release for
// the same place: then that stands there.
func TestBundledPackages(t *testing.T) {
	ctx := context.Background()
	edge := func(name, to string) solve.Edge {
		return solve.Edge{Name: name, Package: name, Constraint: "*", To: to}
	}
	l := &ecosystem.Lock{Ecosystem: "js",
		Roots: []solve.Edge{edge("a", "a@1.0.0"), edge("c", "c@2.0.0"), edge("@s/d", "@s/d@2.0.0")}}
	archives := map[string][]byte{}
	for _, p := range []ecosystem.LockedPackage{
		{Node: solve.Node{ID: "a@1.0.0", Name: "a", Version: "1.0.0",
			Needs: []solve.Edge{edge("@s/d", "@s/d@1.0.0"), edge("c", "c@1.0.0")}}},
		{Node: solve.Node{ID: "c@1.0.0", Name: "c", Version: "1.0.0"}},
		{Node: solve.Node{ID: "c@2.0.0", Name: "c", Version: "2.0.0"}},
		{Node: solve.Node{ID: "@s/d@1.0.0", Name: "@s/d", Version: "1.0.0"}},
		{Node: solve.Node{ID: "@s/d@2.0.0", Name: "@s/d", Version: "2.0.0"}},
	} {
		var more []string
		if p.Name == "a" {
			more = []string{"node_modules/b/package.json", "node_modules/c/package.json", "node_modules/c/extra.js",
				"node_modules/@s/d/package.json", "node_modules/@s/e/package.json", "lib/node_modules.js"}
		}
		archives[p.ID], p.Integrity = packed(t, manifestOf(p), more...)
		l.Packages = append(l.Packages, p)
	}
	dir := t.TempDir()
	tr := treeIn(t, dir, store.In(filepath.Join(t.TempDir(), "store")),
		func(_ context.Context, p *ecosystem.LockedPackage, into registry.Sink) error {
			_, err := into.Write(archives[p.ID])
			return err
		})
	if _, err := tr.Install(ctx, l, LayoutOrder{}); err != nil {
		t.Fatal(err)
	}
	for file, want := range map[string]string{
		"b/package.json": "brought along", "@s/e/package.json": "brought along", "c/package.json": `"version": "1.0.0"`,
		"@s/d/package.json": `"version": "1.0.0"`, "c/extra.js": ""} {
		data, err := os.ReadFile(filepath.Join(dir, "node_modules/a/node_modules", file))
		if !strings.Contains(string(data), want) || (err != nil) != (want == "") {
			t.Errorf("%s holds %q, %v", file, data, err)
		}
	}
	if r, err := tr.Install(ctx, l, LayoutOrder{}); err != nil || !r.Untouched {
		t.Errorf("the second time: %+v, %v", r, err)
	}
}

// With nothing in the store any more, a tree that has to be laid out whole is fetched whole.
func TestWholeTreeWithoutStore(t *testing.T) {
	ctx := context.Background()
	l, download := fleet(t, 60)
	dir, kept := t.TempDir(), store.In(filepath.Join(t.TempDir(), "store"))
	tr := treeIn(t, dir, kept, download)
	if _, err := tr.Install(ctx, l, LayoutOrder{}); err != nil {
		t.Fatal(err)
	}
	if err := kept.Clear(); err != nil {
		t.Fatal(err)
	}
	other := *l
	other.Members = map[string]string{"boats/gig": "gig"} // a link, for which all is made anew
	if r, err := tr.Install(ctx, &other, LayoutOrder{}); err != nil || r.Fetched != 60 {
		t.Fatalf("%+v, %v", r, err)
	}
	if to, err := os.Readlink(filepath.Join(dir, "node_modules/gig")); err != nil ||
		to != filepath.FromSlash("../boats/gig") {
		t.Errorf("the member is linked to %s, %v", to, err)
	}
	if r, err := tr.Install(ctx, &other, LayoutOrder{}); err != nil || !r.Untouched {
		t.Errorf("the second time: %+v, %v", r, err)
	}
}
