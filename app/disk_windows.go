package app

import (
	"io/fs"
	"os"
)

// A pending is a file that will take the place of another.
type pending struct {
	*os.File
	name string
}

// newPending begins a file that will take the place of another; it is written in a folder of the same disk.
func newPending(name, folder string, _ fs.FileMode) (*pending, error) {
	f, err := os.CreateTemp(folder, "*")
	if err != nil {
		return nil, err
	}
	return &pending{f, name}, nil
}

func (p *pending) CloseAtomicallyReplace() error {
	if err := p.Sync(); err != nil {
		return err
	}
	if err := p.File.Close(); err != nil {
		return err
	}
	return os.Rename(p.File.Name(), p.name)
}

// Cleanup removes what was not completed.
func (p *pending) Cleanup() error {
	_ = p.File.Close()
	_ = os.Remove(p.File.Name())
	return nil
}

// syncFolder does nothing: the system has no such operation.
func syncFolder(string) error { return nil }

// syncAll does nothing: the system has no such operation.
func syncAll() {}
