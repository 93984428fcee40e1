package stages

import (
	"context"
	"os"
	"strings"
	"testing"

	"molt/app/locking"
	"molt/app/open"
	"molt/core/assess"
	"molt/core/project"
	"molt/doc"
)

// aliased writes aliases in a text the way that manifests have them.
func aliased(text string) string { return strings.ReplaceAll(text, "alias:", "npm"+":") }

// An alias that both branches changed is decided by the releases of its package, and one that the
// other branch added keeps the package's name.
func TestMergeOfAliases(t *testing.T) {
	t.Setenv("GIT_CONFIG_GLOBAL", os.DevNull)
	t.Setenv("GIT_CONFIG_NOSYSTEM", "1")
	manifest := func(lines string) string { return aliased("{\n  \"dependencies\": {\n" + lines + "\n  }\n}\n") }
	b := newBench(t, map[string]string{"package.json": manifest(`    "ship": "alias:hulk@3.0.0"`)})
	b.git("init", "-q", "-b", "main")
	b.git("config", "user.name", "a")
	b.git("config", "user.email", "a@b.example")
	commit := func(lines string) {
		b.write("package.json", manifest(lines))
		a := b.use2()
		_, data, err := locking.Relock(context.Background(), a)
		if err != nil {
			t.Fatal(err)
		}
		if err := locking.WriteLock(a.View, data); err != nil {
			t.Fatal(err)
		}
		b.git("add", "package.json", "molt.lock")
		b.git("commit", "-qm", "x")
	}
	commit(`    "ship": "alias:hulk@3.0.0"`)
	b.git("switch", "-qc", "other")
	commit("    \"plank\": \"alias:keel@^1.0.0\",\n    \"ship\": \"alias:hulk@3.1.0\"")
	b.git("switch", "-q", "main")
	commit(`    "ship": "alias:hulk@^3.0.0"`)
	b.done()
	_ = b.mayFail("merge", "-q", "other")
	a, err := locking.OpenConflict(
		context.Background(), open.Settings{Dir: b.dir, Jobs: 2, Env: func(k string) string { return b.env[k] }})
	if err != nil || a == nil {
		t.Fatalf("no conflict: %v", err)
	}
	q, err := a.Ask(context.Background(), nil)
	if err != nil {
		t.Fatal(err)
	}
	defer q.Close()
	m, err := locking.Merge(context.Background(), q)
	if err != nil {
		t.Fatal(err)
	}
	if got := string(m.Manifests["package.json"]); !strings.Contains(got, aliased(`"plank": "alias:keel@^1.0.0"`)) ||
		!strings.Contains(got, aliased(`"ship": "alias:hulk@^3.0.0"`)) {
		t.Errorf("merged:\n%s\n%v", got, m.Took)
	}
}

// A lock with two releases of a goal's framework does not agree with the rule that there is one.
func TestVerifyKnowsTheFramework(t *testing.T) {
	b := newBench(t, map[string]string{
		"package.json": aliased(`{"dependencies": {"hulk": "^3.0.0", "old": "alias:hulk@^4.0.0"}}`)})
	a := b.use()
	_, data, err := locking.Relock(context.Background(), a)
	if err != nil {
		t.Fatal(err)
	}
	if err := locking.WriteLock(a.View, data); err != nil {
		t.Fatal(err)
	}
	b.done()
	if found, err := locking.Verify(context.Background(), b.open()); err != nil || len(found) != 0 {
		t.Fatalf("without a goal: %v, %v", found, err)
	}
	b.write("molt.yaml", "goal: hulk@4\n")
	found, err := locking.Verify(context.Background(), b.open())
	if err != nil || len(found) != 1 || !found[0].Says.Is(doc.FrameworkTwice) || found[0].Says.Of[1] != "3.1.0 and 4.0.0" {
		t.Errorf("with a goal: %v, %v", found, err)
	}
}

// What hides the releases that a goal means is named.
func TestGoalHiddenBySettle(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest, "molt.yaml": "settle: 3 years\n"})
	a := b.use()
	_, err := assess.Assess(context.Background(), a.Source, a.Application(), project.Goal{Name: "hulk", Constraint: "4"})
	if err == nil || !strings.Contains(
		err.Error(), "1 of 3 releases of hulk are younger than 3 years, which molt.yaml asks for under \"settle:\"") {
		t.Errorf("the error is %v", err)
	}
}
