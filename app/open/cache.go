package open

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"molt/app/userstate"
	"molt/input"
	"molt/registry"
	"molt/store"
)

// A CacheUsage is what Molt keeps for a user outside of applications.
type CacheUsage struct {
	Dir       string
	Documents int   // answers of registries
	Bytes     int64 // of these
	Store     store.Usage
}

// A Cache is the folder in which Molt keeps what it has fetched, for all applications of a user.
type Cache struct{ dir string }

// CacheOf returns the cache that the environment names; an *input.UsageError where there is none.
func CacheOf(env func(string) string) (*Cache, error) {
	dir := cacheDir(env)
	if dir == "" {
		return nil, &input.UsageError{Reason: "there is no folder for the cache: set MOLT_CACHE to one"}
	}
	return &Cache{dir}, userstate.Own(dir, "MOLT_CACHE")
}

func (c *Cache) store() *store.Store { return store.In(filepath.Join(c.dir, storeDir)) }

// storeDir is the folder of the store in that of the cache.
const storeDir = "store"

// Usage adds up what is there.
func (c *Cache) Usage(ctx context.Context) (CacheUsage, error) {
	answers := registry.CacheUse(c.dir)
	use := CacheUsage{Dir: c.dir, Documents: answers.Answers, Bytes: answers.Bytes}
	var err error
	use.Store, err = c.store().Usage(ctx)
	return use, err
}

// Verify reads every unpacked release, and takes away those that are not as they were made; it names them.
func (c *Cache) Verify(ctx context.Context) ([]string, error) { return c.store().Verify(ctx) }

// Clear takes all of it away. Applications keep what is installed in them.
func (c *Cache) Clear() error {
	entries, err := os.ReadDir(c.dir)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	for _, e := range entries {
		if known := len(e.Name()) == 2 || e.Name() == storeDir || e.Name() == builtDir ||
			e.Name() == registry.CacheDir; known {
			// and nothing that somebody else keeps there
			err = errors.Join(err, os.RemoveAll(filepath.Join(c.dir, e.Name())))
		}
	}
	return err
}

// builtDir is the folder, in that of the cache, of what was built of sources on this machine.
const builtDir = "built"
