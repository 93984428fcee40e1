package js

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
)

// lockOf resolves a universe in the notation of universe.Sketch, with a line for the application
// and some for members that stand apart, and locks it.
func lockOf(t testing.TB, text string) *ecosystem.Lock {
	t.Helper()
	var rest []string
	p := solve.Problem{Strategy: solve.Nested}
	members := map[string]string{}
	for _, line := range strings.Split(text, "\n") {
		app, found := strings.CutPrefix(strings.TrimSpace(line), "app:")
		member := ""
		line, shared := strings.CutPrefix(line, "also ")
		if rest, part := strings.CutPrefix(line, "part "); part {
			member, app, found = strings.Cut(rest, ":")
			members[member] = "boat-" + path.Base(member)
		}
		if !found {
			rest = append(rest, line)
			continue
		}
		for _, word := range strings.Fields(app) {
			d, _, err := universe.SketchDemand(word)
			if err != nil {
				t.Fatal(err)
			}
			r := solve.Root{Demand: d, Group: project.Group{Member: member, Name: "dependencies"}.String()}
			if member != "" && !shared {
				r.Apart, r.Own, r.As = member, d.As, universe.Name{Package: d.As, In: member}.String()
			}
			p.Roots = append(p.Roots, r)
		}
	}
	table, err := universe.Sketch(ranges.Scheme, strings.Join(rest, "\n"))
	if err != nil {
		t.Fatal(err)
	}
	r, err := solve.Resolve(context.Background(), table, p)
	var tangle *solve.Tangle
	if errors.As(err, &tangle) || errors.Is(err, solve.ErrEndless) {
		return nil
	}
	if err != nil {
		t.Fatal(err)
	}
	l, err := ecosystem.NewLock(context.Background(), JS{}, table, r, nil)
	if err != nil {
		t.Fatal(err)
	}
	l.Members = members
	return l
}

func everything(*ecosystem.LockedPackage) bool { return true }

// lookedUp goes through a layout as a runtime would, and says what it finds that the lock does not
// lead to. It knows nothing of how layouts are made.
func lookedUp(l *ecosystem.Lock, layout *ecosystem.Layout) error {
	places, links, reached := map[string]*ecosystem.LockedPackage{}, map[string]string{}, map[string]bool{}
	for _, p := range layout.Places {
		if places[p.Path] != nil {
			return fmt.Errorf("%s stands twice", p.Path)
		}
		if path.Join(p.Holder, p.Name) != p.Path {
			return fmt.Errorf("%s is not %s in %s", p.Path, p.Name, p.Holder)
		}
		if p.Package == nil {
			if l.Members[p.Link] != p.Name {
				return fmt.Errorf("%s leads to %s, which is no member", p.Path, p.Link)
			}
			continue
		}
		places[p.Path] = p.Package
		if links[p.Path] = p.Link; p.Link != "" && !strings.HasPrefix(p.Path, p.Link+"/") {
			return fmt.Errorf("%s leads to %s", p.Path, p.Link)
		}
	}
	nodes := map[string]*ecosystem.LockedPackage{}
	for i := range l.Packages {
		nodes[l.Packages[i].ID] = &l.Packages[i]
	}
	find := func(from, name string) string {
		for {
			if at := path.Join(from, "node_modules", name); links[at] != "" {
				reached[at] = true
				return links[at]
			} else if places[at] != nil {
				return at
			}
			if from == "" {
				return ""
			}
			if from = from[:max(0, strings.LastIndex("/"+from, "/node_modules/"))]; strings.HasSuffix(from, "/") {
				from = from[:len(from)-1]
			}
		}
	}
	type state struct{ at, id string }
	seen := map[state]bool{}
	var follow func(at string, needs, peers []solve.Edge, sees func(name string) string) error
	follow = func(at string, needs, peers []solve.Edge, sees func(name string) string) error {
		for _, e := range peers {
			if want := nodes[e.To]; want != nil {
				found := find(at, e.Name)
				if places[found] == nil || places[found].Name != want.Name || places[found].Version != want.Version {
					return fmt.Errorf("%s looks up the peer %s and finds %q, not %s", at, e.Name, found, e.To)
				}
				// Where a release comes again below itself, another copy of its peer has to do.
				if dependent := sees(e.Name); dependent != found &&
					(len(layout.Places) == len(nodes) || places[dependent] == nil || places[dependent].ID != places[found].ID) {
					return fmt.Errorf("%s finds its peer %s in %s, and its dependent in %s", at, e.Name, found, dependent)
				}
				if s := (state{found, ""}); found == "node_modules/"+e.Name && !seen[s] &&
					!slices.ContainsFunc(l.Roots, func(r solve.Edge) bool { return r.Name == e.Name }) {
					seen[s] = true // the application provides it, though it does not declare it
					if err := follow(found, want.Needs, want.Peers, func(name string) string { return find("", name) }); err != nil {
						return err
					}
				}
			}
		}
		for _, e := range needs {
			want := nodes[e.To]
			if want == nil {
				continue
			}
			found := find(at, e.Name)
			if places[found] == nil || places[found].ID != want.ID && !l.Folded {
				return fmt.Errorf("%q looks up %s and finds %q, not %s", at, e.Name, found, e.To)
			}
			reached[found] = true
			if s := (state{found, at}); !seen[s] {
				seen[s] = true
				if err := follow(found, want.Needs, want.Peers, func(name string) string { return find(at, name) }); err != nil {
					return err
				}
			}
		}
		return nil
	}
	roots := map[string][]solve.Edge{}
	for _, e := range l.Roots {
		if e.Apart != "" {
			e.Name = e.Own
		}
		member := project.GroupOf(e.Group).Member
		if e.Apart == "" { // it is the application's, and the member finds it there
			if e.To != "" && find(member, e.Name) != find("", e.Name) {
				return fmt.Errorf("%s finds %s in %s, and the application in %s", member, e.Name, find(member, e.Name),
					find("", e.Name))
			}
			member = ""
		}
		roots[member] = append(roots[member], e)
	}
	for member := range roots {
		if err := follow(member, roots[member], nil, nil); err != nil {
			return err
		}
	}
	for at := range places {
		if !reached[at] && path.Dir(at) != "node_modules" { // what is provided for peers stands at the top
			return fmt.Errorf("nothing leads to %s", at)
		}
	}
	return nil
}

// Whatever the graph, a runtime finds what the lock leads to; and the layout is the same every time.
func TestLayoutOfRandomUniverses(t *testing.T) {
	laid, nested, apart := 0, 0, 0
	for seed := range 4000 {
		random := rand.New(rand.NewPCG(uint64(seed), 3))
		text := randomUniverse(random)
		l := lockOf(t, text)
		if l == nil || l.Folded {
			continue
		}
		layout, err := JS{}.Layout(l, everything)
		if err != nil {
			t.Fatalf("seed %d: %v\n%s\n%s", seed, err, text, ecosystem.EncodeMoltLock(l))
		}
		laid++
		if slices.ContainsFunc(layout.Places,
			func(p ecosystem.Place) bool { return strings.Count(p.Path, "node_modules") > 1 }) {
			nested++
		}
		if slices.ContainsFunc(layout.Places, func(p ecosystem.Place) bool { return strings.HasPrefix(p.Path, "apps/") }) {
			apart++
		}
		if err := lookedUp(l, layout); err != nil {
			t.Fatalf("seed %d: %v\n%s\n%s", seed, err, text, ecosystem.EncodeMoltLock(l))
		}
		if again, _ := (JS{}).Layout(l, everything); fmt.Sprint(again) != fmt.Sprint(layout) {
			t.Fatalf("seed %d: another layout the second time", seed)
		}
	}
	if laid < 1000 || nested < 100 || apart < 100 {
		t.Errorf("%d layouts, %d with nested packages, %d with some of members: the universes are too tame", laid,
			nested, apart)
	}
	t.Log(laid, nested, apart)
}

func randomUniverse(random *rand.Rand) string {
	names := []string{"a", "b", "c", "d", "e", "f"}[:3+random.IntN(4)]
	constraints := []string{"1", "2", "1||2", "*", "^1", "^2", "3", "*"}
	var b strings.Builder
	b.WriteString("app:")
	for _, name := range names[:1+random.IntN(3)] {
		fmt.Fprintf(&b, " %s@%s", name, constraints[random.IntN(len(constraints))])
	}
	for member := range random.IntN(3) {
		fmt.Fprintf(&b, "\npart apps/%d:", member)
		some := random.Perm(len(names))
		apart := 1 + random.IntN(3)
		for _, k := range some[:apart] {
			fmt.Fprintf(&b, " %s@%s", names[k], constraints[random.IntN(len(constraints))])
		}
		fmt.Fprintf(&b, "\nalso part apps/%d:", member)
		for _, k := range some[apart:min(len(some), apart+random.IntN(2))] {
			fmt.Fprintf(&b, " %s@%s", names[k], constraints[random.IntN(len(constraints))])
		}
	}
	for _, name := range names {
		for v := range 1 + random.IntN(3) {
			fmt.Fprintf(&b, "\n%s@%d: ", name, v+1)
			said := map[string]bool{name: true}
			for range random.IntN(5) {
				other := names[random.IntN(len(names))]
				if said[other] {
					continue
				}
				said[other] = true
				fmt.Fprintf(&b, " %s%s@%s", []string{"", "", "", "peer:", "peer?:", "opt:"}[random.IntN(6)],
					other, constraints[random.IntN(len(constraints))])
			}
		}
	}
	return b.String()
}

func TestLayouts(t *testing.T) {
	for _, test := range []struct{ name, universe, want string }{
		{"flat where it can be", "app: a@1 b@1\na@1: c@1\nb@1: c@1\nc@1", "a b c"},
		{"what is declared wins the top", "app: a@1 c@2\na@1: c@1\nc@1\nc@2", "a a/c@1.0.0 c"},
		{"a release stands once where it can", "app: a@1 b@1 c@2\na@1: d@1\nb@1: d@1\nd@1: c@1\nc@1\nc@2",
			"a b c d d/c@1.0.0"},
		{"a peer is what the dependent sees", "app: a@1 p@1\na@1: p@2 t@1\nt@1: peer:p@2\np@1\np@2",
			"a a/p@2.0.0 a/t@1.0.0 p"},
		{"two contexts need two", "app: a@1 b@1\na@1: p@1 t@1\nb@1: p@2 t@1\nt@1: peer:p@1||2\np@1\np@2",
			"a b b/p@2.0.0 b/t@1.0.0 p t"},
		{"a member that stands apart", "app: a@1 p@1\npart apps/x: p@2 t@1\na@1\np@1\np@2\nt@1: peer:p@*",
			"apps/x/node_modules/p@2.0.0 apps/x/node_modules/t@1.0.0 a boat-x p"},
		{"and finds what it shares", "app: p@1\npart apps/x: p@2 a@1\nalso part apps/x: c@2\na@1: c@1\nc@1\nc@2\np@1\np@2",
			"apps/x/node_modules/p@2.0.0 a a/c@1.0.0 boat-x c p"},
		{"and shares what it can", "app: p@1\npart apps/x: p@2 a@1\na@1: c@1\nc@1\np@1\np@2",
			"apps/x/node_modules/p@2.0.0 a boat-x c p"},
		{"nobody declares the peer", "app: t@1\nt@1: peer:p@1\np@1", "p t"},
		{"two that look each other up", "app: a@1 p@2\na@1: p@1 t@1\np@1: peer:t@1\nt@1: peer:p@1\np@2",
			"a a/p@1.0.0 a/t@1.0.0 p"},
	} {
		l := lockOf(t, test.universe)
		layout, err := JS{}.Layout(l, everything)
		if err != nil {
			t.Errorf("%s: %v", test.name, err)
			continue
		}
		var words []string
		for _, p := range layout.Places {
			word := strings.TrimPrefix(p.Path, "node_modules/")
			if !strings.HasPrefix(p.Path, "apps/") {
				word = strings.ReplaceAll(word, "/node_modules/", "/")
			}
			if strings.Contains(word, "/") {
				word += "@" + p.Package.Version
			}
			words = append(words, word)
		}
		if got := strings.Join(words, " "); got != test.want {
			t.Errorf("%s:\ngot  %s\nwant %s", test.name, got, test.want)
		}
		if err := lookedUp(l, layout); err != nil {
			t.Errorf("%s: %v", test.name, err)
		}
	}
}

func TestPlatforms(t *testing.T) {
	here := map[string]string{"os": "linux", "cpu": "x64", "libc": "glibc"}
	for when, want := range map[string]bool{
		"": true, "os:linux": true, "os:darwin,linux cpu:x64": true, "os:win32": false, "os:!win32": true, "os:!linux": false,
		"cpu:arm64": false, "libc:musl": false, "libc:glibc": true, "os:any": true, "cpu:!arm64,!ia32": true,
		"os:linux cpu:x64 libc:!glibc": false} {
		if got := fitsPlatform(when, here); got != want {
			t.Errorf("%q fits: %v", when, got)
		}
	}
	l := lockOf(t, "app: a@1\na@1: opt:b@1 opt:c@1\nb@1: d@1\nc@1\nd@1")
	for i := range l.Packages {
		if l.Packages[i].Name == "d" {
			l.Packages[i].When = "os:elsewhere"
		}
	}
	if layout, err := (JS{}).Layout(l, JS{}.Fits); err != nil || len(layout.Places) != 2 {
		t.Errorf("%+v, %v; want a and c alone", layout, err)
	}
	l.Packages[0].When = "os:elsewhere"
	if _, err := (JS{}).Layout(l, JS{}.Fits); err == nil ||
		!strings.Contains(err.Error(), "a@1.0.0 is not for this platform") {
		t.Errorf("%v", err)
	}
}

// Names come from a lock that may come from anywhere.
func TestLayoutRefusesNames(t *testing.T) {
	for _, name := range []string{
		"..", "../x", "a/b", "@a", "@/b", "@a/..", ".bin", "@a/.x", "node_modules", "a/../b", "/etc", `a\b`, "a:b", "a b", "",
		"@a/b/c"} {
		l := lockOf(t, "app: a@1\na@1")
		l.Roots[0].Name = name
		if _, err := (JS{}).Layout(l, everything); err == nil || !strings.Contains(err.Error(), "no name of a folder") {
			t.Errorf("%q: %v", name, err)
		}
	}
	for _, name := range []string{"a", "@a/b", "a.b", "a-b_c~d", "A"} {
		l := lockOf(t, "app: a@1\na@1")
		l.Roots[0].Name = name
		if _, err := (JS{}).Layout(l, everything); err != nil {
			t.Errorf("%q: %v", name, err)
		}
	}
}

func TestExecutables(t *testing.T) {
	for manifest, want := range map[string]string{
		`{"bin": "./cli.js"}`: "map[keel:cli.js]",
		`{"bin": {"keel": "bin/keel.js", "@quay/rope": "rope.js"}}`:                                               "map[keel:bin/keel.js rope:rope.js]",
		`{"bin": {"..": "x", ".x": "x", "a b": "x", "a\\b": "x", "ok": "../../x", "up": "/etc/passwd", "no": 1}}`: "map[]",
		`{"bin": 7}`: "map[]", `{`: "map[]", `{}`: "map[]",
	} {
		if got := fmt.Sprint(JS{}.Executables("@quay/keel", []byte(manifest))); got != want {
			t.Errorf("%s: %s, want %s", manifest, got, want)
		}
	}
	manifest := []byte(`{"name": "keel", "version": "1.0.0", "scripts": {"postinstall": "b", "install": "a", "test": "c"}}`)
	if got := fmt.Sprint(JS{}.BuildSteps(manifest)); got != "[install postinstall]" {
		t.Errorf("build steps %s", got)
	}
	if filepath.Separator != '/' {
		return // the paths below are those of other systems
	}
	line, env := JS{}.BuildCommand("/app", "/app/node_modules/x/node_modules/keel", manifest, "install")
	if line != "a" || env[scriptVariables+"lifecycle_event"] != "install" || env["INIT_CWD"] != "/app" ||
		!strings.HasPrefix(env["PATH"],
			"/app/node_modules/x/node_modules/keel/node_modules/.bin:/app/node_modules/x/node_modules/.bin:/app/node_modules/.bin:") {
		t.Errorf("%q, %v", line, env)
	}
}
