package userstate

import "io/fs"

// ownerOf does not know: the system keeps such folders to their users by itself.
func ownerOf(fs.FileInfo) (int, bool) { return 0, false }
