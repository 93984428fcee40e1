//go:build !windows

package app

import (
	"io/fs"
	"os"

	"github.com/google/renameio/v2"
)

// writeFile replaces a file in one move, with its content on disk before. The mode of an existing file stays.
func writeFile(name string, data []byte) error {
	mode := fs.FileMode(0o644)
	if info, err := os.Stat(name); err == nil {
		mode = info.Mode().Perm()
	}
	return renameio.WriteFile(name, data, mode)
}
