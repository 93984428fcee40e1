package tree

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"sync/atomic"
	"syscall"
	"time"

	"molt/store"
)

// A layer puts files of the store into installed trees: as clones, which share their blocks until
// somebody writes to one, where the file system can; else as links, which are read-only; else, on
// another disk, as copies. What cannot be done once is not tried again.
type layer struct {
	way     atomic.Int32
	noLinks bool
}

// The ways, the best first.
const (
	byClone int32 = iota
	byLink
	byCopy
)

// laying is the layer of an order.
func laying(order LayoutOrder) *layer { return &layer{noLinks: order.Copies} }

// copying is a layer that makes copies, for files that are going to be written to.
func copying() *layer {
	l := &layer{}
	l.way.Store(byCopy)
	return l
}

// links reports whether files have been laid as links.
func (l *layer) links() bool { return l.way.Load() == byLink }

// lay puts a file of the store in a place where nothing is.
func (l *layer) lay(from, to string, f *store.File, executable bool) error {
	if l.way.Load() == byClone {
		err := duplicate(from, to, f, executable, clone)
		if err == nil {
			return nil
		}
		_ = os.Remove(to)
		next := byLink
		if l.noLinks {
			next = byCopy
		}
		l.way.CompareAndSwap(byClone, next)
	}
	if l.way.Load() == byLink && executable == f.Executable {
		err := os.Link(from, to)
		if err == nil || !unlinkable(err) {
			return err
		}
		l.way.CompareAndSwap(byLink, byCopy)
	}
	return duplicate(from, to, f, executable, func(to, from *os.File) error {
		_, err := io.Copy(to, from)
		return err
	})
}

// unlinkable reports whether an error says that a file system has no links, or not between these
// places, or not so many.
func unlinkable(err error) bool {
	for _, no := range []error{syscall.EXDEV, syscall.EPERM, syscall.EMLINK, syscall.ENOSYS, syscall.EACCES,
		errors.ErrUnsupported} {
		if errors.Is(err, no) {
			return true
		}
	}
	return false
}

// duplicate makes a file that holds what another holds, with the time of that.
func duplicate(from, to string, f *store.File, executable bool, fill func(to, from *os.File) error) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	mode := fs.FileMode(0o644)
	if executable {
		mode = 0o755
	}
	out, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, mode)
	if err != nil {
		return err
	}
	err = fill(out, in)
	if err = errors.Join(err, out.Close()); err != nil {
		return err
	}
	written := time.Unix(0, f.Written)
	return os.Chtimes(to, written, written)
}
