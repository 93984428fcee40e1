package vcs

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
)

// repo makes a repository with a file in a folder below it, which is where the application is.
func repo(t *testing.T) (Repo, func(args ...string) string) {
	t.Helper()
	top := t.TempDir()
	r := At(filepath.Join(top, "app"))
	git := func(args ...string) string {
		t.Helper()
		out, err := exec.Command("git", append([]string{"-C", top}, args...)...).CombinedOutput()
		if err != nil {
			t.Fatalf("git %v: %v\n%s", args, err, out)
		}
		return string(out)
	}
	if err := os.Mkdir(r.Dir, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(r.Dir, "manifest"), []byte("one\n"), 0o755); err != nil {
		t.Fatal(err)
	}
	git("init", "--quiet")
	git("config", "user.name", "a")
	git("config", "user.email", "a@b.example")
	git("add", "--all")
	git("commit", "--quiet", "--message", "base")
	return r, git
}

// TestSetBranch makes, leaves and moves a branch, and touches neither the work tree nor the index.
func TestSetBranch(t *testing.T) {
	r, git := repo(t)
	ctx := context.Background()
	set := func(was Branch, text string) (string, bool) {
		t.Helper()
		commit, changed, err := r.SetBranch(ctx, was, "molt/patch", "patch: keel\n\nMolt-Offer: patch\n",
			map[string][]byte{"manifest": []byte(text)})
		if err != nil {
			t.Fatal(err)
		}
		return commit, changed
	}
	first, changed := set(Branch{}, "two\n")
	if !changed || git("show", "molt/patch:app/manifest") != "two\n" || git("status", "--porcelain") != "" {
		t.Errorf("changed %v; the work tree: %s", changed, git("status", "--porcelain"))
	}
	if listed := git("ls-tree", "molt/patch", "app/manifest"); listed[:6] != "100755" {
		t.Errorf("the file may no longer be run: %s", listed)
	}
	all, err := r.Branches(ctx, "molt/")
	if err != nil || len(all) != 1 || all[0].Commit != first || all[0].Name != "molt/patch" ||
		all[0].Message != "patch: keel\n\nMolt-Offer: patch\n" {
		t.Fatalf("%+v, %v", all, err)
	}
	if again, changed := set(all[0], "two\n"); changed || again != first {
		t.Error("the same texts on the same commit make another one")
	}
	second, changed := set(all[0], "three\n")
	if !changed || second == first || git("log", "--format=%s", "molt/patch") != "patch: keel\nbase\n" {
		t.Errorf("%s", git("log", "--format=%s", "molt/patch"))
	}
	// Somebody else moved it meanwhile.
	if _, _, err := r.SetBranch(ctx, all[0], "molt/patch", "x",
		map[string][]byte{"manifest": []byte("four\n")}); err == nil {
		t.Error("what somebody else put on the branch is gone")
	}
	if err := r.DeleteBranch(ctx, all[0]); err == nil {
		t.Error("so it is when it is removed")
	}
	if all, _ = r.Branches(ctx, "molt/"); r.DeleteBranch(ctx, all[0]) != nil {
		t.Error("the branch stays")
	}
	if all, err = r.Branches(ctx, "molt/"); err != nil || len(all) != 0 {
		t.Errorf("%v, %v", all, err)
	}
}
