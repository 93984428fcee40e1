//go:build !linux && !darwin

package archive

import "io/fs"

// Inode returns 0: the file system does not tell.
func Inode(fs.FileInfo) uint64 { return 0 }

// Changed returns 0: the file system does not tell.
func Changed(fs.FileInfo) int64 { return 0 }
