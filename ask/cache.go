package ask

import (
	"context"

	"molt/app/open"
	"molt/doc"
)

// Cache says what Molt keeps for the user, after looking through it or clearing it where that is wanted.
func Cache(ctx context.Context, env func(string) string, verify, clear bool) (doc.Cache, error) {
	c, err := open.CacheOf(env)
	if err != nil {
		return doc.Cache{}, err
	}
	d := doc.Cache{Schema: "molt/cache/1", Removed: []string{}, Cleared: clear}
	if clear {
		if err := c.Clear(); err != nil {
			return d, err
		}
	}
	if verify {
		removed, err := c.Verify(ctx)
		if err != nil {
			return d, err
		}
		d.Removed = list(removed)
	}
	use, err := c.Usage(ctx)
	d.Folder, d.Documents, d.Bytes = use.Dir, use.Documents, use.Bytes
	d.Releases, d.Files, d.Unpacked = use.Store.Releases, use.Store.Files, use.Store.Bytes
	return d, err
}
