//go:build linux || darwin

package archive

import (
	"io/fs"
	"syscall"
)

// Inode returns the number by which the file system knows a file; 0 where it does not tell.
func Inode(info fs.FileInfo) uint64 {
	if s, ok := info.Sys().(*syscall.Stat_t); ok {
		return s.Ino
	}
	return 0
}

// Changed returns when a file or anything about it changed last, in nanoseconds since 1970;
// programs cannot set that back. 0 where the file system does not tell.
func Changed(info fs.FileInfo) int64 {
	if s, ok := info.Sys().(*syscall.Stat_t); ok {
		return changed(s)
	}
	return 0
}
