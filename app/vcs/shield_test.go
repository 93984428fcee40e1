package vcs

import (
	"context"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"runtime"
	"strings"
	"testing"
)

// hostile has everything of a repository's own configuration that git may run, and all hooks, write
// their name into a file, which it returns.
func hostile(t *testing.T, r Repo, git func(args ...string) string) (ran string) {
	t.Helper()
	if runtime.GOOS == "windows" {
		t.Skip("the hooks are written for a POSIX shell")
	}
	ran = filepath.Join(t.TempDir(), "ran")
	program := func(name string) string { return fmt.Sprintf("echo %s >>%s; cat", name, ran) }
	write := func(name, text string, mode os.FileMode) {
		t.Helper()
		if err := os.WriteFile(name, []byte(text), mode); err != nil {
			t.Fatal(err)
		}
	}
	top := filepath.Dir(r.Dir)
	for _, key := range []string{"core.fsmonitor", "filter.mine.clean", "filter.mine.smudge", "filter.Mine.Two.clean",
		"diff.external", "diff.mine.textconv", "diff.mine.command", "merge.mine.driver",
		"gpg.program", "core.sshCommand", "core.editor", "core.pager", "core.askPass", "pager.log", "pager.status",
		"remote.origin.uploadpack"} {
		git("config", key, program(key))
	}
	git("config", "filter.mine.required", "true")
	git("config", "log.showSignature", "true")
	git("config", "remote.origin.promisor", "true")
	git("config", "remote.origin.url", top)
	git("config", "protocol.allow", "always")
	write(filepath.Join(top, ".gitattributes"), "* filter=mine diff=mine merge=mine\n", 0o644)
	hooks := strings.TrimSpace(git("rev-parse", "--git-path", "hooks"))
	for _, name := range append([]string{"post-checkout", "post-merge", "pre-merge-commit", "post-rewrite"},
		commitHooks...) {
		write(filepath.Join(top, hooks, name), "#!/bin/sh\n"+program(name)+" >/dev/null\n", 0o755)
	}
	write(filepath.Join(r.Dir, "manifest"), "two\n", 0o755) // to be hashed by whoever looks
	return ran
}

// TestNothingRuns calls all that a Repo can do in a repository whose configuration names programs
// everywhere: none of them runs.
func TestNothingRuns(t *testing.T) {
	r, git := repo(t)
	ran := hostile(t, r, git)
	ctx := context.Background()
	head, err := r.Head(ctx)
	if err != nil {
		t.Fatal(err)
	}
	calls := map[string]func() error{
		"Head":        func() error { _, err := r.Head(ctx); return err },
		"Here":        func() error { r.Here(ctx); return nil },
		"HasCommit":   func() error { r.HasCommit(ctx); return nil },
		"Detached":    func() error { r.Detached(ctx); return nil },
		"Branch":      func() error { r.Branch(ctx); return nil },
		"Branches":    func() error { _, err := r.Branches(ctx, ""); return err },
		"UnderWay":    func() error { _, err := r.UnderWay(ctx); return err },
		"Uncommitted": func() error { _, err := r.Uncommitted(ctx); return err },
		"Prefix":      func() error { _, err := r.Prefix(ctx); return err },
		"Files":       func() error { _, err := r.Files(ctx); return err },
		"FileAt":      func() error { r.FileAt(ctx, "HEAD", "manifest"); return nil },
		"IsRevision":  func() error { r.IsRevision(ctx, "HEAD"); return nil },
		"Unmerged":    func() error { _, err := r.Unmerged(ctx, "manifest"); return err },
		"MergeTexts": func() error {
			_, err := r.MergeTexts(ctx, []byte("a\n"), []byte("a\n"), []byte("b\n"))
			return err
		},
		"WithTrailers":   func() error { _, err := r.WithTrailers(ctx, "A"); return err },
		"Changed":        func() error { _, err := r.Changed(ctx, head); return err },
		"DateOf":         func() error { r.DateOf(ctx, "HEAD"); return nil },
		"IsRoot":         func() error { r.IsRoot(ctx, head); return nil },
		"PruneWorkTrees": func() error { r.PruneWorkTrees(ctx); return nil },
		"CommitPrograms": func() error { _, err := r.CommitPrograms(ctx); return err },
		"AddWorkTree": func() error {
			w, err := r.AddWorkTree(ctx, filepath.Join(t.TempDir(), "copy"))
			w.Remove(ctx)
			return err
		},
		"SetBranch": func() error {
			_, _, err := r.SetBranch(ctx, Branch{}, "molt/x", "x", map[string][]byte{"manifest": []byte("three\n")})
			return err
		},
		"DeleteBranch": func() error { return r.DeleteBranch(ctx, Branch{Name: "molt/none", Commit: head}) },
		"NewBranch":    func() error { return r.NewBranch(ctx, "other") },
		"Commit":       func() error { _, err := r.Commit(ctx, "x", "x", []string{"manifest"}, false); return err },
	}
	kind := reflect.TypeFor[Repo]()
	for i := range kind.NumMethod() {
		name := kind.Method(i).Name
		call := calls[name]
		if call == nil {
			t.Errorf("%s is not tried", name)
			continue
		}
		if err := call(); err != nil && name != "DeleteBranch" {
			t.Errorf("%s: %v", name, err)
		}
		if said, err := os.ReadFile(ran); err == nil {
			t.Errorf("%s ran %s", name, strings.Join(strings.Fields(string(said)), ", "))
			_ = os.Remove(ran)
		}
	}
}

// TestConsentedCommit: what a commit would run is told, and with consent it runs.
func TestConsentedCommit(t *testing.T) {
	r, git := repo(t)
	ran := hostile(t, r, git)
	ctx := context.Background()
	programs, err := r.CommitPrograms(ctx)
	var names []string
	for _, p := range programs {
		names = append(names, p.Name)
	}
	all := strings.Join(names, ", ")
	for _, want := range []string{"hook pre-commit", "hook commit-msg", "filter.mine.clean", "gpg.program"} {
		if !strings.Contains(all, want) {
			t.Errorf("%s is not told: %s (%v)", want, all, err)
		}
	}
	if _, err := r.Commit(ctx, "x", "x", []string{"manifest"}, true); err != nil {
		t.Fatal(err)
	}
	if said, _ := os.ReadFile(ran); !strings.Contains(string(said), "pre-commit") ||
		!strings.Contains(string(said), "filter.mine.clean") {
		t.Errorf("with consent ran %q", said)
	}
}

// TestBareShape: a folder that looks like a bare repository, which a plain clone brings along, is none.
func TestBareShape(t *testing.T) {
	dir := t.TempDir()
	if out, err := exec.Command("git", "init", "--quiet", "--bare", dir).CombinedOutput(); err != nil {
		t.Fatal(err, string(out))
	}
	ran := filepath.Join(t.TempDir(), "ran")
	for key, value := range map[string]string{
		"core.bare": "false", "core.worktree": dir, "core.fsmonitor": "echo x >>" + ran} {
		if out, err := exec.Command("git", "--git-dir="+dir, "config", key, value).CombinedOutput(); err != nil {
			t.Fatal(err, string(out))
		}
	}
	r := At(dir)
	ctx := context.Background()
	if r.Here(ctx) {
		t.Error("it counts as a work tree")
	}
	_, _ = r.Uncommitted(ctx)
	if _, err := os.Stat(ran); err == nil {
		t.Error("its file-system monitor ran")
	}
}

// TestOneCaller: the one place in Molt that runs git is raw, and who calls raw puts options before the command.
func TestOneCaller(t *testing.T) {
	callers := map[string]bool{}
	err := filepath.WalkDir("../..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			return err
		}
		for _, decl := range file.Decls {
			f, ok := decl.(*ast.FuncDecl)
			if !ok {
				continue
			}
			ast.Inspect(f, func(n ast.Node) bool {
				call, ok := n.(*ast.CallExpr)
				if !ok {
					return true
				}
				s, ok := call.Fun.(*ast.SelectorExpr)
				if !ok {
					return true
				}
				if s.Sel.Name == "raw" && strings.Contains(filepath.ToSlash(path), "app/vcs/") {
					callers[f.Name.Name] = true
				}
				for _, arg := range call.Args {
					if lit, ok := arg.(*ast.BasicLit); ok && lit.Value == `"git"` && strings.HasPrefix(s.Sel.Name, "Command") &&
						f.Name.Name != "raw" {
						t.Errorf("%s: %s runs git itself", path, f.Name.Name)
					}
				}
				return true
			})
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for name := range callers {
		switch name {
		case "gitWith", "Commit", "askSettings", "hookFolder":
		default:
			t.Errorf("%s calls raw", name)
		}
	}
	if len(callers) != 4 {
		t.Errorf("callers of raw: %v", callers)
	}
}
