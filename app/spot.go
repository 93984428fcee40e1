package app

import (
	"bytes"
	"molt/core/project"
	"molt/ecosystem"
	"slices"
)

// conflictMark begins a part of a file that git could not merge.
var conflictMark = []byte("<<<<<<< ")

// marked names the first manifest or lock that holds such a part; "" for none.
func (a *App) marked(texts []ecosystem.File) (string, error) {
	lock, err := a.files.Content(a.LockFile())
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

// A declaration's place in a manifest.
type spot struct{ group, name string }

// spotOf returns the place of a declaration, which is the same whether the member of a workspace that has it stands apart or not.
func spotOf(group, name string) spot { return spot{group, project.OwnName(name)} }

func spots(m interface{ Entries() []ecosystem.Entry }) map[spot]string {
	all := map[spot]string{}
	for _, e := range m.Entries() {
		all[spotOf(e.Group, e.As)] = e.Text
	}
	return all
}
