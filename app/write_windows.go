package app

import (
	"os"
	"path/filepath"
)

// writeFile replaces a file in one move, with its content on disk before.
func writeFile(name string, data []byte) error {
	temp, err := os.CreateTemp(filepath.Dir(name), filepath.Base(name)+".part-*")
	if err != nil {
		return err
	}
	_, err = temp.Write(data)
	if err == nil {
		err = temp.Sync()
	}
	if closed := temp.Close(); err == nil {
		err = closed
	}
	if err == nil {
		err = os.Rename(temp.Name(), name)
	}
	if err != nil {
		_ = os.Remove(temp.Name())
	}
	return err
}
