package vcs

import (
	"context"
	"os"
	"path/filepath"
	"strings"
)

// A WorkTree is a second work tree of a repository, or a folder that stands for one where nothing
// has been committed yet.
type WorkTree struct {
	From   string // the top of the first
	Prefix string // where in both the folder of the repository's Repo is, "" for the top
	repo   Repo
	at     string
	added  bool
}

// AddWorkTree makes a work tree at a path where nothing is, with the last commit in its index, so
// that what a check asks git about is answered, and no files.
func (r Repo) AddWorkTree(ctx context.Context, at string) (WorkTree, error) {
	w := WorkTree{repo: r, at: at}
	top, err := r.git(ctx, "find the top of the work tree", "rev-parse", "--show-toplevel")
	if err != nil {
		return w, err
	}
	w.From = strings.TrimSpace(top)
	if w.Prefix, err = r.Prefix(ctx); err != nil {
		return w, err
	}
	w.Prefix = strings.TrimSuffix(w.Prefix, "/")
	if !r.HasCommit(ctx) {
		return w, ctx.Err() // plain files then
	}
	r.PruneWorkTrees(ctx)
	if _, err := r.git(ctx, "add a work tree", "worktree", "add", "--quiet", "--detach", "--no-checkout",
		at, "HEAD"); err != nil {
		return w, err
	}
	w.added = true
	_, err = At(at).git(ctx, "fill the work tree's index", "reset", "--quiet", "--mixed")
	return w, err
}

// Remove takes a work tree away, also after the call has ended.
func (w WorkTree) Remove(ctx context.Context) {
	if w.added {
		_, _ = w.repo.git(context.WithoutCancel(ctx), "take the work tree away", "worktree", "remove", "--force", w.at)
	}
	_ = os.RemoveAll(w.at)
}

// Dir is the folder of the repository's Repo in the work tree.
func (w WorkTree) Dir() string { return filepath.Join(w.at, filepath.FromSlash(w.Prefix)) }

// PruneWorkTrees forgets work trees that are gone. It only tidies.
func (r Repo) PruneWorkTrees(ctx context.Context) {
	_, _ = r.git(ctx, "forget work trees that are gone", "worktree", "prune")
}
