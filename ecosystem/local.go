package ecosystem

import (
	"io/fs"
	"path"
	"strings"

	"molt/core/solve"
)

// LocalFolder returns the folder of the application that a declaration names in place of a
// constraint, relative to it; "" for anything else, also for one outside of it.
func LocalFolder(e solve.Edge) string {
	text := e.Constraint
	for _, prefix := range []string{"file:", "link:"} {
		text = strings.TrimPrefix(text, prefix)
	}
	if text == e.Constraint && !strings.HasPrefix(text, "./") {
		return ""
	}
	folder := path.Clean(text)
	if !fs.ValidPath(folder) || folder == "." || strings.HasSuffix(folder, ".tgz") ||
		strings.HasSuffix(folder, ".tar.gz") || strings.HasSuffix(folder, ".whl") {
		return ""
	}
	return folder
}
