// Package vcs asks git about the folder of an application, and has it commit and copy. It runs the
// git program; where there is none, or no work tree, nothing is under version control. What the
// repository itself would have git run is turned off (shield.go).
package vcs

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"

	"molt/input"
)

// A Repo is a folder that may lie in a work tree of git.
type Repo struct {
	Dir   string
	asked *asked
}

// At returns the Repo of a folder.
func At(dir string) Repo { return Repo{dir, &asked{}} }

// A GitError reports that git did not do what was asked.
type GitError struct {
	Doing string
	Says  string
}

func (e *GitError) Error() string { return fmt.Sprintf("git could not %s: %s", e.Doing, e.Says) }

// git runs the git program in the folder.
func (r Repo) git(ctx context.Context, doing string, args ...string) (string, error) {
	return r.gitWith(ctx, doing, nil, nil, args...)
}

// gitWith is git with variables of the environment, and an input.
func (r Repo) gitWith(ctx context.Context, doing string, env []string, in []byte, args ...string) (string, error) {
	options, err := r.shield(ctx)
	if err != nil {
		return "", err
	}
	return r.raw(ctx, doing, env, in, append(options, args...))
}

// raw runs the git program in the folder. It is the one place that does: the arguments begin with
// the options that say what git may run.
func (r Repo) raw(ctx context.Context, doing string, env []string, in []byte, args []string) (string, error) {
	cmd := exec.CommandContext(ctx, "git", append([]string{"-C", r.Dir}, args...)...)
	cmd.Env = slices.Concat(os.Environ(), fixedEnv, env)
	var out, says bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = bytes.NewReader(in), &out, &says
	switch err := cmd.Run(); {
	case ctx.Err() != nil:
		return "", ctx.Err()
	case errors.Is(err, exec.ErrNotFound):
		return "", &GitError{doing, "there is no git on this machine"}
	case err != nil:
		text := strings.TrimSpace(says.String())
		if text == "" {
			text = strings.TrimSpace(out.String())
		}
		if text == "" {
			text = "it gave no reason (" + err.Error() + ")"
		}
		return "", &GitError{doing, text}
	}
	return out.String(), nil
}

// Here reports whether the folder lies in a work tree of git.
func (r Repo) Here(ctx context.Context) bool {
	out, err := r.git(ctx, "find a work tree here", "rev-parse", "--is-inside-work-tree")
	return err == nil && strings.TrimSpace(out) == "true"
}

// HasCommit reports whether anything has been committed.
func (r Repo) HasCommit(ctx context.Context) bool { return r.has(ctx, "HEAD") }

func (r Repo) has(ctx context.Context, revision string) bool {
	_, err := r.git(ctx, "look for a commit", "rev-parse", "--quiet", "--verify", revision)
	return err == nil
}

// Detached reports whether there is a commit but no branch checked out.
func (r Repo) Detached(ctx context.Context) bool {
	return r.Branch(ctx) == "" && r.Here(ctx) && r.HasCommit(ctx)
}

// Branch returns the branch that is checked out; "" without git, or when none is.
func (r Repo) Branch(ctx context.Context) string {
	out, err := r.git(ctx, "tell the branch", "symbolic-ref", "--quiet", "--short", "HEAD")
	if err != nil {
		return ""
	}
	return strings.TrimSpace(out)
}

// NewBranch makes a branch and checks it out; the files stay as they are.
func (r Repo) NewBranch(ctx context.Context, name string) error {
	if r.Branch(ctx) == name {
		return nil
	}
	if _, err := r.git(ctx, "check the branch's name", "check-ref-format", "--branch", name); err != nil {
		return &input.UsageError{Reason: fmt.Sprintf("%q is no name for a branch", name)}
	}
	_, err := r.git(ctx, "make the branch "+name, "switch", "--quiet", "--create", name)
	return err
}

// UnderWay says what keeps a commit from being one of its own: "a merge", "a rebase", "a cherry-pick"; "" for nothing.
func (r Repo) UnderWay(ctx context.Context) (string, error) {
	for _, state := range []struct{ ref, what string }{
		{"MERGE_HEAD", "a merge"}, {"REBASE_HEAD", "a rebase"}, {"CHERRY_PICK_HEAD", "a cherry-pick"}} {
		if r.has(ctx, state.ref) {
			return state.what, nil
		}
	}
	return "", ctx.Err()
}

// Uncommitted lists which of some files, or of all, are not as the last commit has them. Names are relative to the
// folder.
func (r Repo) Uncommitted(ctx context.Context, files ...string) ([]string, error) {
	prefix, err := r.Prefix(ctx)
	if err != nil {
		return nil, err
	}
	out, err := r.git(ctx, "tell what is not committed",
		append([]string{"status", "--porcelain", "-z", "--ignore-submodules=all", "--untracked-files=all", "--no-renames",
			"--"}, files...)...)
	if err != nil {
		return nil, err
	}
	var names []string
	for entry := range strings.SplitSeq(out, "\x00") {
		if len(entry) > 3 {
			names = append(names, strings.TrimPrefix(entry[3:], prefix))
		}
	}
	return names, nil
}

// Prefix says where in the work tree the folder is, "" or with a slash at its end.
func (r Repo) Prefix(ctx context.Context) (string, error) {
	prefix, err := r.git(ctx, "tell where the application is", "rev-parse", "--show-prefix")
	return strings.TrimSpace(prefix), err
}

// Commit commits files, and nothing else that may be waiting in the index, and returns the name of
// the commit. With consent it runs what CommitPrograms lists; without, nothing.
func (r Repo) Commit(ctx context.Context, what, message string, files []string, consent bool) (string, error) {
	options := unshielded()
	if !consent {
		var err error
		if options, err = r.shield(ctx); err != nil {
			return "", err
		}
	}
	call := func(doing string, args ...string) error {
		_, err := r.raw(ctx, doing, nil, nil, append(append(slices.Clone(options), args...), files...))
		return err
	}
	if err := call("add the files of "+what, "add", "--"); err != nil {
		return "", err
	}
	if err := call("commit "+what, "commit", "--quiet", "-m", message, "--"); err != nil {
		var failed *GitError
		if consent && errors.As(err, &failed) && strings.HasPrefix(failed.Says, "it gave no reason") {
			failed.Says += r.refusers(ctx)
		}
		return "", err
	}
	hash, err := r.Head(ctx)
	return hash, err
}

// refusers names the hooks that a commit has run, so that one which refuses without a word can be found.
func (r Repo) refusers(ctx context.Context) string {
	programs, err := r.CommitPrograms(ctx)
	var names []string
	for _, p := range programs {
		if p.Digest != "" {
			names = append(names, p.Line)
		}
	}
	if err != nil || names == nil {
		return ""
	}
	return "; it may have been refused by a hook: " + strings.Join(names, ", ")
}

// Files lists the files that are tracked or could be, sorted, relative to the folder, with slashes.
func (r Repo) Files(ctx context.Context) ([]string, error) {
	out, err := r.git(ctx, "list the files", "ls-files", "-z", "--cached", "--others", "--exclude-standard")
	if err != nil {
		return nil, err
	}
	var names []string
	for name := range strings.SplitSeq(out, "\x00") {
		if info, err := os.Lstat(filepath.Join(r.Dir, filepath.FromSlash(name))); name != "" && err == nil &&
			info.Mode().IsRegular() {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return slices.Compact(names), nil
}

// The places in git's index where the sides of a conflict are, as revisions of FileAt.
const (
	Base   = ":1"
	Ours   = ":2"
	Theirs = ":3"
)

// FileAt returns a file as a revision has it, nil when it has none.
func (r Repo) FileAt(ctx context.Context, revision, name string) []byte {
	text, err := r.git(ctx, "read "+name, "show", revision+":./"+name)
	if err != nil {
		return nil
	}
	return []byte(text)
}

// IsRevision reports whether a text names a commit.
func (r Repo) IsRevision(ctx context.Context, revision string) bool {
	if strings.HasPrefix(revision, "-") {
		return false
	}
	_, err := r.git(ctx, "find "+revision, "rev-parse", "--verify", "--quiet", "--end-of-options", revision+"^{commit}")
	return err == nil
}

// Unmerged reports whether git could not merge one of some files.
func (r Repo) Unmerged(ctx context.Context, files ...string) (bool, error) {
	if !r.Here(ctx) {
		return false, ctx.Err()
	}
	out, err := r.git(ctx, "look for conflicts", append([]string{"ls-files", "--unmerged", "--"}, files...)...)
	return out != "", err
}

// MergeTexts merges two texts that come from a third. The error is a *GitError where they are in conflict.
func (r Repo) MergeTexts(ctx context.Context, base, ours, theirs []byte) ([]byte, error) {
	dir, err := os.MkdirTemp("", "molt-merge-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	var names []string
	for i, text := range [][]byte{ours, base, theirs} {
		names = append(names, filepath.Join(dir, []string{"ours", "base", "theirs"}[i]))
		if err := os.WriteFile(names[i], text, 0o600); err != nil {
			return nil, err
		}
	}
	text, err := r.git(ctx, "merge the manifests", append([]string{"merge-file", "--stdout"}, names...)...)
	return []byte(text), err
}
