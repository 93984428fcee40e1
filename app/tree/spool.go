package tree

import (
	"bytes"
	"io"
	"os"
)

// mostHeld is how many bytes of an archive are held in memory; a longer one goes to a file.
const mostHeld = 2 << 20

// A spool takes an archive, and gives it back from wherever it wants to.
type spool struct {
	held bytes.Buffer
	file *os.File // nil as long as all is held
	size int64
}

// Write takes a part of the archive.
func (s *spool) Write(p []byte) (int, error) {
	s.size += int64(len(p))
	if s.file == nil && s.size <= mostHeld {
		return s.held.Write(p)
	}
	if s.file == nil {
		f, err := os.CreateTemp("", "molt-archive-*")
		if err != nil {
			return 0, err
		}
		s.file = f
		if _, err := f.Write(s.held.Bytes()); err != nil {
			return 0, err
		}
		s.held = bytes.Buffer{}
	}
	return s.file.Write(p)
}

// Reset lets go of all that was written.
func (s *spool) Reset() error {
	s.discard()
	return nil
}

// content returns what was written.
func (s *spool) content() (io.ReaderAt, int64) {
	if s.file != nil {
		return s.file, s.size
	}
	return bytes.NewReader(s.held.Bytes()), s.size
}

// discard takes the file away.
func (s *spool) discard() {
	if s.file != nil {
		s.file.Close()
		_ = os.Remove(s.file.Name()) // it lies in the folder for such
	}
	s.file, s.size = nil, 0
	s.held.Reset()
}
