//go:build !windows

package app

import (
	"io/fs"
	"os"
	"syscall"

	"github.com/google/renameio/v2"
)

// newPending begins a file that will take the place of another; it is written in a folder of the same disk.
func newPending(name, folder string, mode fs.FileMode) (*renameio.PendingFile, error) {
	return renameio.NewPendingFile(name, renameio.WithTempDir(folder), renameio.WithStaticPermissions(mode))
}

func syncFolder(name string) error {
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	return f.Sync()
}

func syncAll() { syscall.Sync() }
