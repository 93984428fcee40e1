package tree

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"testing"

	"molt/store"
)

// A record that came from elsewhere takes nothing away that is no package.
func TestHostileRecords(t *testing.T) {
	l, download := fleet(t, 2)
	kept := store.In(filepath.Join(t.TempDir(), "store"))
	for _, text := range []string{
		`{"format": 1, "places": {"src": {"release": "x@1.0.0"}}}`,
		`{"format": 1, "places": {"node_modules/../src": {"release": "x@1.0.0"}}}`,
		`{"format": 1, "places": {"node_modules": {"release": "x@1.0.0"}}}`,
		`{"format": 1, "places": {"../outside": {"release": "x@1.0.0"}}}`,
		`{"format": 1, "places": {"/etc": {"release": "x@1.0.0"}}}`,
		`{"format": 1, "places": {"node_modules/x": {"release": "x@1.0.0", "link": "../src"}}}`,
		`{"format": 1, "executables": {"src/index.js": "x"}}`,
		`{"format": 1, "executables": {"node_modules/x/y/z": "x"}}`,
		`{"format": 1, "executables": {"node_modules/.molt.json": "x"}}`,
		`{"format": 2}`, `[]`, ``,
	} {
		dir := t.TempDir()
		for name, data := range map[string]string{"src/index.js": "kept", "node_modules/" + RecordFile: text} {
			if err := errors.Join(os.MkdirAll(filepath.Join(dir, filepath.Dir(name)), 0o755),
				os.WriteFile(filepath.Join(dir, name), []byte(data), 0o644)); err != nil {
				t.Fatal(err)
			}
		}
		var foreign *ForeignError
		if _, err := treeIn(t, dir, kept, download).Install(context.Background(), l, LayoutOrder{}); !errors.As(
			err, &foreign) {
			t.Errorf("%s: %v", text, err)
		}
		if _, err := treeIn(t, dir, kept, download).Install(context.Background(), l, LayoutOrder{Force: true}); err != nil {
			t.Errorf("%s, by force: %v", text, err)
		}
		if data, err := os.ReadFile(filepath.Join(dir, "src/index.js")); err != nil || string(data) != "kept" {
			t.Errorf("%s took src away: %v", text, err)
		}
	}
}
