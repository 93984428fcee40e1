package app

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"

	"molt/app/run"
	"molt/input"
	"molt/txn"
)

// A copied is the application a second time, in a folder elsewhere: under git a work tree of its own with what is not
// committed too, else the files that people keep.
type copied struct {
	dir  string // of the application in it
	done func() // takes it away
}

// separate makes a copy of the application in a temporary folder. The caller calls done, after which nothing is left.
func (a *App) separate(ctx context.Context) (*copied, error) {
	base, err := os.MkdirTemp("", "molt-copy-")
	if err != nil {
		return nil, err
	}
	forget, err := a.noteCopy(base)
	if err != nil {
		_ = os.RemoveAll(base)
		return nil, err
	}
	c, err := a.copyTo(ctx, filepath.Join(base, filepath.Base(a.Dir)))
	if err != nil {
		_ = os.RemoveAll(base)
		forget()
		return nil, err
	}
	inner := c.done
	c.done = func() { inner(); _ = os.RemoveAll(base); forget() }
	return c, nil
}

// copiesDir holds a file for each temporary copy, so that the next Molt clears those of one that was killed.
const copiesDir = txn.StateDir + "/copies"

// A notedCopy is a temporary copy, with the seal by which Molt knows that it made it.
type notedCopy struct {
	Dir  string `json:"dir"`
	Run  string `json:"run"` // what the processes in it have in their environment
	Seal string `json:"seal"`
}

// copyKind is what seals of copies are about.
const copyKind = "copy"

// noteCopy notes a temporary copy; forget is called when it is gone.
func (a *App) noteCopy(dir string) (forget func(), err error) {
	if a.runID == "" {
		a.runID = rand.Text()
	}
	name := path.Join(copiesDir, filepath.Base(dir)+".json")
	seal, err := a.seal(copyKind, []byte(dir+"\n"+a.runID))
	if err != nil {
		return nil, err
	}
	data, err := json.Marshal(notedCopy{dir, a.runID, seal})
	if err != nil {
		return nil, err
	}
	for _, folder := range []string{copiesDir, txn.PartDir} {
		if err := a.disk.Mkdir(folder); err != nil {
			return nil, err
		}
	}
	return func() { a.disk.Discard(name) }, a.disk.Put(name, data)
}

// clearCopies takes away the copies that a killed Molt left. The folder must be in use, so that nobody works in them.
func (a *App) clearCopies() {
	entries, err := fs.ReadDir(a.disk.Root.FS(), copiesDir)
	if err != nil {
		return
	}
	cleared := false
	for _, e := range entries {
		name := path.Join(copiesDir, e.Name())
		data, err := a.disk.Read(name, input.VersionFile)
		var c notedCopy
		if err == nil && json.Unmarshal(data, &c) == nil && a.sealed(copyKind, []byte(c.Dir+"\n"+c.Run), c.Seal) {
			run.EndOrphans(c.Run)
			_ = os.RemoveAll(c.Dir)
			cleared = true
		}
		a.disk.Discard(name)
	}
	if cleared {
		_, _ = a.git(context.Background(), "forget work trees that are gone", "worktree", "prune") // it only tidies
	}
}

// copyTo makes a copy whose top is a folder that must not exist yet. When it cannot be made, nothing is left of it.
func (a *App) copyTo(ctx context.Context, top string) (*copied, error) {
	if _, err := os.Lstat(top); !errors.Is(err, fs.ErrNotExist) {
		return nil, &input.UsageError{Reason: fmt.Sprintf("%s exists already; a copy wants a folder of its own", top)}
	}
	c := &copied{dir: top, done: func() { _ = os.RemoveAll(top) }}
	from := *a
	if a.underGit(ctx) {
		prefix, err := a.workTree(ctx, c, top, &from.Dir)
		if err != nil {
			c.done()
			return nil, err
		}
		c.dir = filepath.Join(top, filepath.FromSlash(prefix))
	}
	names, err := from.sources(ctx)
	if err == nil {
		err = os.MkdirAll(c.dir, 0o755)
	}
	if err == nil {
		err = copyFiles(ctx, from.Dir, top, names)
	}
	if err != nil {
		c.done()
		return nil, err
	}
	return c, nil
}

// workTree adds a work tree of git, where there is a commit to begin from. It sets the top of the application's own work
// tree, and returns where in it the application is.
func (a *App) workTree(ctx context.Context, c *copied, tree string, top *string) (prefix string, err error) {
	own, err := a.git(ctx, "find the top of the work tree", "rev-parse", "--show-toplevel")
	if err != nil {
		return "", err
	}
	*top = strings.TrimSpace(own)
	if prefix, err = a.git(ctx, "tell where the application is", "rev-parse", "--show-prefix"); err != nil {
		return "", err
	}
	prefix = strings.TrimSuffix(strings.TrimSpace(prefix), "/")
	if _, err := a.git(ctx, "look for a commit", "rev-parse", "--quiet", "--verify", "HEAD"); err != nil {
		return prefix, ctx.Err() // plain files then
	}
	_, _ = a.git(ctx, "forget work trees that are gone", "worktree", "prune") // it only tidies
	if _, err := a.git(ctx, "add a work tree", "worktree", "add", "--quiet", "--detach", "--no-checkout", tree, "HEAD"); err != nil {
		return "", err
	}
	c.done = func() {
		_, _ = a.git(context.WithoutCancel(ctx), "take the work tree away", "worktree", "remove", "--force", tree)
		_ = os.RemoveAll(tree)
	}
	// The index is that of the commit, so that what a check asks git about is answered.
	_, err = a.gitIn(ctx, tree, "fill the work tree's index", "reset", "--quiet", "--mixed")
	return prefix, err
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
