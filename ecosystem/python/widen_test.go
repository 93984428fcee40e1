package python

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
)

// every is each of some versions on each platform.
func every(t *testing.T, versions ...string) (all []ecosystem.Environment, envs environments) {
	t.Helper()
	for _, v := range versions {
		for _, p := range (Python{}).Platforms() {
			all = append(all, ecosystem.Environment{Runtimes: map[string]string{runtimeName: v}, Platform: p})
		}
	}
	envs, err := environmentsOf(all)
	if err != nil {
		t.Fatal(err)
	}
	return all, envs
}

// Whatever the environments in which something is needed, the marker holds in these and in no others.
func TestWhere(t *testing.T) {
	_, envs := every(t, "3.9", "3.10", "3.11", "3.12")
	random := rand.New(rand.NewPCG(1, 2))
	tests := map[string]func(e requirement.Environment) bool{
		`sys_platform == "win32"`: func(e requirement.Environment) bool { return e["sys_platform"] == "win32" },
		`sys_platform != "win32"`: func(e requirement.Environment) bool { return e["sys_platform"] != "win32" },
		`python_version < "3.11"`: func(e requirement.Environment) bool {
			return len(e["python_version"]) == 3 || e["python_version"] == "3.10"
		},
		`python_version >= "3.10" and python_version < "3.12"`: func(e requirement.Environment) bool {
			return e["python_version"] == "3.10" || e["python_version"] == "3.11"
		},
		`sys_platform == "darwin" and python_version >= "3.12"`: func(e requirement.Environment) bool {
			return e["sys_platform"] == "darwin" && e["python_version"] == "3.12"
		},
		`python_version == "3.9" or python_version == "3.12"`: func(e requirement.Environment) bool {
			return e["python_version"] == "3.9" || e["python_version"] == "3.12"
		},
	}
	for range 300 {
		share := random.Float64()
		tests[fmt.Sprint("random ", share)] = func(requirement.Environment) bool { return random.Float64() < share }
	}
	for want, holds := range tests {
		in := make([]bool, len(envs))
		for i, e := range envs {
			in[i] = holds(e)
		}
		m := where(envs, in)
		if !strings.HasPrefix(want, "random") && m.String() != want {
			t.Errorf("got %s, want %s", m, want)
		}
		if !slices.Contains(in, true) {
			continue
		}
		for i, e := range envs {
			if m.Holds(e) != in[i] {
				t.Fatalf("%s holds in %v: %v", m, e, !in[i])
			}
		}
	}
}

// A lock for other machines comes back as it was, and what Molt plans with is what the deployed one needs.
func TestWideLock(t *testing.T) {
	all, _ := every(t, "3.10", "3.11")
	deployed := slices.IndexFunc(all, func(e ecosystem.Environment) bool {
		return e.Runtimes[runtimeName] == "3.11" && e.Platform == usualPlatform
	})
	node := func(name string, needs ...solve.Edge) ecosystem.LockedPackage {
		p := ecosystem.LockedPackage{Node: solve.Node{ID: name + "@1.0", Name: name, Version: "1.0", Needs: needs},
			PURL: Python{}.PackageURL(name, "1.0")}
		p.Files = []universe.File{{Address: "https://files.example/" + name + "-1.0-py3-none-any.whl",
			Integrity: "sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU=", Kind: wheelKind}}
		return p
	}
	edge := func(name, when string) solve.Edge {
		return solve.Edge{Name: name, Package: name, Constraint: ">=1", To: name + "@1.0", When: when}
	}
	root := edge("hull", "")
	root.Group = "dependencies"
	wide := &ecosystem.Lock{Ecosystem: "python", Roots: []solve.Edge{root}, Environments: all[deployed : deployed+1],
		Wider: slices.Delete(slices.Clone(all), deployed, deployed+1),
		Packages: []ecosystem.LockedPackage{
			node("hull", edge("oar", `python_version >= "3.11"`), edge("winch", `sys_platform == "win32"`)), node("oar"),
			node("winch", edge("rope", "")), node("rope")}}
	text := Python{}.EncodeLock(wide)
	for _, want := range []string{
		`marker = 'sys_platform == "win32"'`, `marker = 'python_version >= "3.11"'`,
		`wider = { python = ["3.10", "3.11"], platform = [`} {
		if !bytes.Contains(text, []byte(want)) {
			t.Errorf("the lock lacks %s:\n%s", want, text)
		}
	}
	l, err := Python{}.DecodeLock("pylock.toml", text)
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, p := range l.Packages {
		names = append(names, p.ID)
	}
	if got := strings.Join(names, " "); got != "hull@1.0 oar@1.0" || len(l.Packages[0].Needs) != 1 ||
		l.Packages[0].Needs[0].When != "" {
		t.Errorf("for the deployed machine it has %s: %+v", got, l.Packages)
	}
	if len(l.Whole().Packages) != 4 || len(l.Whole().Wider) != len(all)-1 {
		t.Errorf("for all it has %+v", l.Whole())
	}
	if again := (Python{}).EncodeLock(l); !bytes.Equal(again, text) {
		t.Errorf("written again it is\n%s", again)
	}
}
