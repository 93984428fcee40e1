package tree

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

// flush brings what was written onto the disk that a folder is on.
func flush(dir string) error {
	f, err := os.Open(dir)
	if err != nil {
		return err
	}
	return errors.Join(unix.Syncfs(int(f.Fd())), f.Close())
}
