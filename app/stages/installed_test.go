package stages

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"molt/app/locking"
	"molt/app/open"
)

// install writes a folder of a package, as "path name version".
func (b *bench) install(folders ...string) {
	b.Helper()
	for _, f := range folders {
		var at, name, version string
		if _, err := fmt.Sscan(f, &at, &name, &version); err != nil {
			b.Fatal(err)
		}
		dir := filepath.Join(b.dir, filepath.FromSlash(at))
		if err := os.MkdirAll(dir, 0o755); err != nil {
			b.Fatal(err)
		}
		b.write(at+"/package.json", fmt.Sprintf(`{"name": %q, "version": %q}`, name, version))
	}
}

// relock writes the lock.
func (b *bench) relock() {
	b.Helper()
	a := b.use()
	_, data, err := locking.Relock(context.Background(), a)
	if err == nil {
		err = locking.WriteLock(a.View, data)
	}
	if err != nil {
		b.Fatal(err)
	}
}

// checked verifies, and writes the findings one a line.
func (b *bench) checked() string {
	b.Helper()
	a, err := open.Open(open.Settings{Dir: b.dir, Env: func(name string) string { return b.env[name] }})
	if err != nil {
		b.Fatal(err)
	}
	found, err := locking.Verify(context.Background(), a)
	if err != nil {
		b.Fatal(err)
	}
	var all []string
	for _, f := range found {
		all = append(all, f.About+" "+f.Says.String())
	}
	return strings.Join(all, "\n")
}

func TestVerifyInstalled(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest})
	b.relock()
	if got := b.checked(); got != "" {
		t.Errorf("with nothing installed: %s", got)
	}
	b.install("node_modules/hulk hulk 3.1.0", "node_modules/deck deck 1.0.0")
	if got := b.checked(); got != "" {
		t.Errorf("with all installed: %s", got)
	}
	b.install("node_modules/hulk hulk 3.0.0", "node_modules/@crew/jib @crew/jib 1.0.0",
		"node_modules/deck/node_modules/lamp lamp 2.0.0")
	if err := os.RemoveAll(filepath.Join(b.dir, "node_modules/deck/package.json")); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink("nowhere", filepath.Join(b.dir, "node_modules/rope")); err != nil {
		t.Fatal(err)
	}
	b.install("node_modules/liar liar 1.0.0")
	b.write("node_modules/liar/package.json", "{")
	want := []string{
		"installed installed at another(node_modules/hulk, hulk, 3.0.0, hulk, 3.1.0)",
		"installed place at fault(node_modules/deck, a folder without package.json)",
		"installed place at fault(node_modules/liar, its package.json is not JSON)",
		"installed place at fault(node_modules/rope, a link that leads nowhere)",
		"installed installed, not locked(node_modules/@crew/jib 1.0.0)",
		"installed installed, not locked(node_modules/deck/node_modules/lamp 2.0.0)",
	}
	if got := b.checked(); got != strings.Join(want, "\n") {
		t.Errorf("findings are\n%s\nwant\n%s", got, strings.Join(want, "\n"))
	}
}

// Packages that live in a store and are linked are found where the runtime finds them: beside what asks for them.
func TestVerifyLinkedStore(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest})
	b.relock()
	b.install("node_modules/.store/hulk/node_modules/hulk hulk 3.1.0",
		"node_modules/.store/deck/node_modules/deck deck 1.0.0")
	for name, to := range map[string]string{
		"hulk": ".store/hulk/node_modules/hulk", "deck": ".store/deck/node_modules/deck"} {
		if err := os.Symlink(to, filepath.Join(b.dir, "node_modules", name)); err != nil {
			t.Fatal(err)
		}
	}
	if got := b.checked(); got != "" {
		t.Errorf("findings: %s", got)
	}
}
