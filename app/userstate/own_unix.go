//go:build !windows

package userstate

import (
	"io/fs"
	"syscall"
)

// ownerOf returns the number of the user to whom a file belongs, where the system has such.
func ownerOf(info fs.FileInfo) (int, bool) {
	s, ok := info.Sys().(*syscall.Stat_t)
	if !ok {
		return 0, false
	}
	return int(s.Uid), true
}
