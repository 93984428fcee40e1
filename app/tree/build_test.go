package tree

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"molt/core/solve"
	"molt/ecosystem"
	"molt/registry"
	"molt/store"
)

// Build steps run for those that people name, what is needed first; they write into copies; one
// that fails leaves the old tree.
func TestBuildSteps(t *testing.T) {
	ctx := context.Background()
	l := &ecosystem.Lock{Ecosystem: "js", Roots: []solve.Edge{{Name: "a", Package: "a", Constraint: "*", To: "a@1.0.0"}}}
	archives := map[string][]byte{}
	for _, name := range []string{"a", "b", "c"} {
		p := ecosystem.LockedPackage{Node: solve.Node{ID: name + "@1.0.0", Name: name, Version: "1.0.0"}}
		if name == "a" {
			for _, need := range []string{"b", "c"} {
				p.Needs = append(p.Needs, solve.Edge{Name: need, Package: need, Constraint: "*", To: need + "@1.0.0"})
			}
		}
		archives[name], p.Integrity = packed(t, manifestOf(p, `"scripts": {"install": "make"}`))
		p.Runs = ":install"
		l.Packages = append(l.Packages, p)
	}
	kept := store.In(filepath.Join(t.TempDir(), "store"))
	dir := t.TempDir()
	tr := treeIn(t, dir, kept, func(_ context.Context, p *ecosystem.LockedPackage, into registry.Sink) error {
		_, err := into.Write(archives[p.Name])
		return err
	})
	var built []string
	fails := false
	order := func(names ...string) LayoutOrder {
		built = nil
		return LayoutOrder{Builds: func(name string) bool { return slices.Contains(names, name) },
			Build: func(_ context.Context, folder string, p *ecosystem.LockedPackage, steps []string) error {
				built = append(built, p.Name+" "+strings.Join(steps, ","))
				if fails {
					return errors.New("no compiler")
				}
				return os.WriteFile(filepath.Join(folder, "package.json"), []byte("written by the step"), 0o644)
			}}
	}
	r, err := tr.Install(ctx, l, order())
	if err != nil || built != nil || len(r.Unbuilt) != 3 {
		t.Fatalf("nobody named: %+v, built %v, %v", r, built, err)
	}
	fails = true
	if _, err := tr.Install(ctx, l, order("a", "b")); err == nil || !strings.Contains(err.Error(), "no compiler") ||
		!strings.Contains(err.Error(), "what was installed is as it was") {
		t.Errorf("a step that fails: %v", err)
	}
	if data, err := os.ReadFile(filepath.Join(dir, "node_modules/a/package.json")); err != nil ||
		!strings.Contains(string(data), "scripts") {
		t.Errorf("after a step that failed: %s, %v", data, err)
	}
	fails = false
	r, err = tr.Install(ctx, l, order("a", "b"))
	if err != nil || !slices.Equal(built, []string{"b install", "a install"}) ||
		!slices.Equal(r.Built, []string{"b@1.0.0", "a@1.0.0"}) || len(r.Unbuilt) != 1 {
		t.Fatalf("two named: %+v, built %v, %v", r, built, err)
	}
	for i := range l.Packages { // a step that writes into its package writes into no other application's
		if e, err := kept.Get("x", l.Packages[i].Integrity); e == nil || err != nil {
			t.Errorf("the store's %s was changed: %v", l.Packages[i].Name, err)
		}
	}
	if r, err = tr.Install(ctx, l, order("a", "b")); err != nil || !r.Untouched || built != nil {
		t.Errorf("again: %+v, built %v, %v", r, built, err)
	}
	if r, err = tr.Install(ctx, l, order("b")); err != nil || len(built) != 0 || len(r.Unbuilt) != 2 {
		t.Errorf("no longer named: %+v, built %v, %v", r, built, err)
	}
	if data, err := os.ReadFile(filepath.Join(dir, "node_modules/a/package.json")); err != nil ||
		!strings.Contains(string(data), "scripts") {
		t.Errorf("no longer built: %s, %v", data, err)
	}
}

// Of two packages with one name for something to run, the one that the application declares has it.
func TestExecutablesOfDeclaredPackages(t *testing.T) {
	archives := map[string][]byte{}
	l := &ecosystem.Lock{Ecosystem: "js", Roots: []solve.Edge{{Name: "z", Package: "z", Constraint: "*", To: "z@1.0.0"}}}
	for _, name := range []string{"a", "z"} {
		p := ecosystem.LockedPackage{Node: solve.Node{ID: name + "@1.0.0", Name: name, Version: "1.0.0"}}
		if name == "z" {
			p.Needs = []solve.Edge{{Name: "a", Package: "a", Constraint: "*", To: "a@1.0.0"}}
		}
		archives[name], p.Integrity = packed(t, manifestOf(p, `"bin": {"tool": "lib/part-0.js"}`))
		p.Runs = "tool"
		l.Packages = append(l.Packages, p)
	}
	dir := t.TempDir()
	r, err := treeIn(t, dir, store.In(t.TempDir()),
		func(_ context.Context, p *ecosystem.LockedPackage, into registry.Sink) error {
			_, err := into.Write(archives[p.Name])
			return err
		}).Install(context.Background(), l, LayoutOrder{})
	if err != nil || len(r.Claimed) != 1 || !strings.Contains(r.Claimed[0], "a@1.0.0 has one of that name too") {
		t.Fatalf("%+v, %v", r, err)
	}
	if to, err := os.Readlink(filepath.Join(dir, "node_modules/.bin/tool")); err != nil ||
		filepath.ToSlash(to) != "../z/lib/part-0.js" {
		t.Errorf("the link leads to %s, %v", to, err)
	}
}

// Only what the application would have is said to be left out.
func TestLeftOut(t *testing.T) {
	l, _ := fleet(t, 3) // each needs the next
	l.Packages[1].When, l.Packages[2].When = "elsewhere", "elsewhere"
	fits := func(p *ecosystem.LockedPackage) bool { return p.When == "" }
	if got := leftOut(l, fits); !slices.Equal(got, []string{"ship-0001@1.0.0"}) {
		t.Errorf("left out: %v", got)
	}
	l.Roots = nil
	if got := leftOut(l, fits); got != nil {
		t.Errorf("left out of nothing: %v", got)
	}
}
