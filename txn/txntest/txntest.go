// Package txntest helps tests that write many files.
package txntest

import (
	"os"
)

// InMemory moves temporary folders, testing.T.TempDir's too, to a file system that is kept in
// memory, where this machine has one with room: waiting for thousands of small files to reach a
// disk takes longer than the tests themselves. It returns what removes them. Without such a file
// system nothing changes.
func InMemory() (remove func()) {
	root := memory()
	if root == "" {
		return func() {}
	}
	dir, err := os.MkdirTemp(root, "molt-test-")
	if err != nil {
		return func() {}
	}
	os.Setenv("TMPDIR", dir)
	return func() { os.RemoveAll(dir) }
}
