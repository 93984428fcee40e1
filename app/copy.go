package app

import (
	"context"
	"os"
	"path/filepath"
	"strings"
)

// A copy is the application a second time, in a folder elsewhere: under git a work tree of its own with what is not
// committed too, else the files that people keep.
type copied struct {
	dir  string // of the application in it
	done func()
}

// separate makes a copy of the application. The caller calls done, after which nothing is left of it.
func (a *App) separate(ctx context.Context) (*copied, error) {
	base, err := os.MkdirTemp("", "molt-copy-")
	if err != nil {
		return nil, err
	}
	c := &copied{dir: filepath.Join(base, filepath.Base(a.Dir)), done: func() { _ = os.RemoveAll(base) }}
	prefix := ""
	top := a.Dir
	if a.underGit(ctx) {
		if top, prefix, err = a.workTree(ctx, c, base); err != nil {
			c.done()
			return nil, err
		}
	}
	from := *a
	from.Dir = top
	names, err := from.sources(ctx)
	if err == nil {
		err = copyFiles(ctx, top, strings.TrimSuffix(c.dir, filepath.FromSlash(prefix)), names)
	}
	if err != nil {
		c.done()
		return nil, err
	}
	return c, nil
}

// workTree adds a work tree of git below a folder. It returns the top of the application's own work tree, and where in it
// the application is.
func (a *App) workTree(ctx context.Context, c *copied, base string) (top, prefix string, err error) {
	if top, err = a.git(ctx, "find the top of the work tree", "rev-parse", "--show-toplevel"); err != nil {
		return "", "", err
	}
	if prefix, err = a.git(ctx, "tell where the application is", "rev-parse", "--show-prefix"); err != nil {
		return "", "", err
	}
	top, prefix = strings.TrimSpace(top), strings.TrimSuffix(strings.TrimSpace(prefix), "/")
	if _, err := a.git(ctx, "look for a commit", "rev-parse", "--quiet", "--verify", "HEAD"); err == nil {
		tree := filepath.Join(base, filepath.Base(top))
		_, _ = a.git(ctx, "forget work trees that are gone", "worktree", "prune") // it only tidies
		if _, err := a.git(ctx, "add a work tree", "worktree", "add", "--quiet", "--detach", "--no-checkout", tree, "HEAD"); err != nil {
			return "", "", err
		}
		c.done = func() {
			_, _ = a.git(context.WithoutCancel(ctx), "take the work tree away", "worktree", "remove", "--force", tree)
			_ = os.RemoveAll(base)
		}
		// The index is that of the commit, so that what a check asks git about is answered.
		if _, err := a.gitIn(ctx, tree, "fill the work tree's index", "reset", "--quiet", "--mixed"); err != nil {
			return "", "", err
		}
	}
	c.dir = filepath.Join(base, filepath.Base(top), filepath.FromSlash(prefix))
	if prefix != "" {
		prefix = "/" + prefix
	}
	return top, prefix, nil
}

// copyFiles copies files from a folder to another; names have slashes.
func copyFiles(ctx context.Context, from, to string, names []string) error {
	for _, name := range names {
		if err := ctx.Err(); err != nil {
			return err
		}
		source, target := filepath.Join(from, filepath.FromSlash(name)), filepath.Join(to, filepath.FromSlash(name))
		info, err := os.Stat(source)
		if err != nil {
			return err
		}
		data, err := os.ReadFile(source)
		if err != nil {
			return err
		}
		if err := os.MkdirAll(filepath.Dir(target), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(target, data, info.Mode().Perm()); err != nil {
			return err
		}
	}
	return nil
}
