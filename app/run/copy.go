package run

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

	"molt/app/vcs"
	"molt/input"
	"molt/txn"
)

// A Copy is the application a second time, in a folder elsewhere: under git a work tree of its own with what is not
// committed too, else the files that people keep.
type Copy struct {
	Dir  string // of the application in it
	Done func() // takes it away
}

// Separate makes a copy of the application in a temporary folder. The caller calls Done, after which nothing is left.
func (r Runner) Separate(ctx context.Context) (*Copy, error) {
	base, err := os.MkdirTemp("", "molt-copy-")
	if err != nil {
		return nil, err
	}
	forget, err := r.noteCopy(base)
	if err != nil {
		_ = os.RemoveAll(base)
		return nil, err
	}
	c, err := r.CopyTo(ctx, filepath.Join(base, filepath.Base(r.Files.Dir)))
	if err != nil {
		_ = os.RemoveAll(base)
		forget()
		return nil, err
	}
	inner := c.Done
	c.Done = func() { inner(); _ = os.RemoveAll(base); forget() }
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
func (r Runner) noteCopy(dir string) (forget func(), err error) {
	if r.Files.Run == "" {
		r.Files.Run = rand.Text()
	}
	name := path.Join(copiesDir, filepath.Base(dir)+".json")
	seal, err := r.Files.Seal(copyKind, []byte(dir+"\n"+r.Files.Run))
	if err != nil {
		return nil, err
	}
	data, err := json.Marshal(notedCopy{dir, r.Files.Run, seal})
	if err != nil {
		return nil, err
	}
	for _, folder := range []string{copiesDir, txn.PartDir} {
		if err := r.Files.Mkdir(folder); err != nil {
			return nil, err
		}
	}
	return func() { r.Files.Discard(name) }, r.Files.Put(name, data)
}

// ClearCopies takes away the copies that a killed Molt left. The folder must be in use, so that nobody works in them.
func (r Runner) ClearCopies() {
	entries, err := fs.ReadDir(r.Files.Root.FS(), copiesDir)
	if err != nil {
		return
	}
	cleared := false
	for _, e := range entries {
		name := path.Join(copiesDir, e.Name())
		data, err := r.Files.Read(name, input.VersionFile)
		var c notedCopy
		if err == nil && json.Unmarshal(data, &c) == nil && r.Files.Sealed(copyKind, []byte(c.Dir+"\n"+c.Run), c.Seal) {
			EndOrphans(c.Run)
			_ = os.RemoveAll(c.Dir)
			cleared = true
		}
		r.Files.Discard(name)
	}
	if cleared {
		r.Repo.PruneWorkTrees(context.Background())
	}
}

// CopyTo makes a copy whose top is a folder that must not exist yet. When it cannot be made, nothing is left of it.
func (r Runner) CopyTo(ctx context.Context, top string) (*Copy, error) {
	if _, err := os.Lstat(top); !errors.Is(err, fs.ErrNotExist) {
		return nil, &input.UsageError{Reason: fmt.Sprintf("%s exists already; a copy wants a folder of its own", top)}
	}
	c := &Copy{Dir: top, Done: func() { _ = os.RemoveAll(top) }}
	from := r
	if r.Repo.Here(ctx) {
		tree, err := r.Repo.AddWorkTree(ctx, top)
		c.Done = func() { tree.Remove(ctx) }
		if err != nil {
			c.Done()
			return nil, err
		}
		c.Dir, from = tree.Dir(), Runner{
			Files: &txn.Workspace{Folder: txn.Folder{Dir: tree.From}}, Repo: vcs.At(tree.From), Packages: r.Packages}
	}
	names, err := from.Sources(ctx)
	if err == nil {
		err = os.MkdirAll(c.Dir, 0o755)
	}
	if err == nil {
		err = copyFiles(ctx, from.Files.Dir, top, names)
	}
	if err != nil {
		c.Done()
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
