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

	"molt/app/run"
	"molt/app/vcs"
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
	if a.files.Run == "" {
		a.files.Run = rand.Text()
	}
	name := path.Join(copiesDir, filepath.Base(dir)+".json")
	seal, err := a.files.Seal(copyKind, []byte(dir+"\n"+a.files.Run))
	if err != nil {
		return nil, err
	}
	data, err := json.Marshal(notedCopy{dir, a.files.Run, seal})
	if err != nil {
		return nil, err
	}
	for _, folder := range []string{copiesDir, txn.PartDir} {
		if err := a.files.Mkdir(folder); err != nil {
			return nil, err
		}
	}
	return func() { a.files.Discard(name) }, a.files.Put(name, data)
}

// clearCopies takes away the copies that a killed Molt left. The folder must be in use, so that nobody works in them.
func (a *App) clearCopies() {
	entries, err := fs.ReadDir(a.files.Root.FS(), copiesDir)
	if err != nil {
		return
	}
	cleared := false
	for _, e := range entries {
		name := path.Join(copiesDir, e.Name())
		data, err := a.files.Read(name, input.VersionFile)
		var c notedCopy
		if err == nil && json.Unmarshal(data, &c) == nil && a.files.Sealed(copyKind, []byte(c.Dir+"\n"+c.Run), c.Seal) {
			run.EndOrphans(c.Run)
			_ = os.RemoveAll(c.Dir)
			cleared = true
		}
		a.files.Discard(name)
	}
	if cleared {
		a.repo.PruneWorkTrees(context.Background())
	}
}

// copyTo makes a copy whose top is a folder that must not exist yet. When it cannot be made, nothing is left of it.
func (a *App) copyTo(ctx context.Context, top string) (*copied, error) {
	if _, err := os.Lstat(top); !errors.Is(err, fs.ErrNotExist) {
		return nil, &input.UsageError{Reason: fmt.Sprintf("%s exists already; a copy wants a folder of its own", top)}
	}
	c := &copied{dir: top, done: func() { _ = os.RemoveAll(top) }}
	from := *a
	if a.repo.Here(ctx) {
		tree, err := a.repo.AddWorkTree(ctx, top)
		c.done = func() { tree.Remove(ctx) }
		if err != nil {
			c.done()
			return nil, err
		}
		c.dir, from.Dir, from.repo = tree.Dir(), tree.From, vcs.Repo{Dir: tree.From}
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
