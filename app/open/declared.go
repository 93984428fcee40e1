package open

import (
	"bytes"
	"slices"

	"molt/core/project"
	"molt/ecosystem"
)

// conflictMark begins a part of a file that git could not merge.
var conflictMark = []byte("<<<<<<< ")

// Marked names the first manifest or lock that holds such a part; "" for none.
func Marked(a *View, texts []ecosystem.File) (string, error) {
	lock, err := a.Files.Content(a.LockFile())
	if err != nil {
		return "", err
	}
	for _, f := range append(slices.Clip(texts), ecosystem.File{Name: a.LockFile(), Data: lock}) {
		if bytes.HasPrefix(f.Data, conflictMark) || bytes.Contains(f.Data, append([]byte("\n"), conflictMark...)) {
			return f.Name, nil
		}
	}
	return "", nil
}

// KeyOf returns the place of a declaration, which is the same whether the member of a workspace
// that has it stands apart or not.
func KeyOf(group, name string) DeclarationKey { return DeclarationKey{group, project.OwnName(name)} }

func TextsByKey(m interface{ Entries() []ecosystem.Entry }) map[DeclarationKey]string {
	all := map[DeclarationKey]string{}
	for _, e := range m.Entries() {
		all[KeyOf(e.Group, e.As)] = e.Text
	}
	return all
}
