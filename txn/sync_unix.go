//go:build !windows

package txn

import (
	"errors"
	"os"
)

// syncFolder brings the entries of a folder onto the disk.
func syncFolder(root *os.Root, name string) error {
	f, err := root.Open(name)
	if err != nil {
		return err
	}
	err = f.Sync()
	return errors.Join(err, f.Close())
}
