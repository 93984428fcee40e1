package open

import (
	"os"
	"path/filepath"
	"slices"
	"sync"

	"molt/app/config"
	"molt/core/project"
	"molt/ecosystem"
	"molt/ecosystem/registered"
	"molt/input"
)

// An application may declare packages of several ecosystems in one folder. Then each of these is a
// side of it: a View of its own, with its manifest and its lock. The configuration, the plan and
// the ledger are those of all sides: the plan's file has a document for each.

// Sides lists the sides of the application in a folder, in the order of Ecosystems; nil where it
// has only one, or the call or the configuration says which is meant. What cannot be read is
// nothing here, and an error of whoever opens the application.
func Sides(s Settings) []Side {
	if s.Ecosystem != "" {
		return nil
	}
	data, err := input.ReadFile(filepath.Join(s.Dir, config.File), input.Configuration)
	if err == nil {
		if c, err := config.Read(config.File, data); err != nil || c.Ecosystem != "" {
			return nil
		}
	}
	all := sidesIn(s.Dir)
	if len(all) < 2 {
		return nil
	}
	return all
}

// sidesIn lists the sides of a folder. One that declares nothing, as a manifest for tools only
// does, is none where another declares something; one whose manifest cannot be read is, so that
// somebody says so. The manifests of one side alone are not read: there is nothing to tell it from.
func sidesIn(dir string) (all []Side) {
	var manifests [][]string // of each side
	for _, e := range registered.Ecosystems {
		names, err := e.Detect(os.DirFS(dir))
		if err == nil && len(names) == 0 {
			continue
		}
		side := Side{Ecosystem: e, broken: err != nil}
		for _, r := range ecosystem.Runtimes(e) {
			side.Runtimes = append(side.Runtimes, r.Name)
		}
		all, manifests = append(all, side), append(manifests, names)
	}
	if len(all) < 2 {
		return all
	}
	for i := range all {
		all[i].read(dir, manifests[i])
	}
	if says := func(s Side) bool { return len(s.Names) > 0 || s.broken }; slices.ContainsFunc(all, says) {
		all = slices.DeleteFunc(all, func(s Side) bool { return !says(s) })
	}
	return all
}

// read takes the names that the manifests of a side declare.
func (s *Side) read(dir string, manifests []string) {
	for _, name := range manifests {
		var m ecosystem.Manifest
		data, err := input.ReadFile(filepath.Join(dir, filepath.FromSlash(name)), input.Manifest)
		if err == nil {
			m, err = s.Ecosystem.ReadManifest(name, data)
		}
		if err != nil {
			s.broken = true
			continue
		}
		for _, entry := range m.Entries() {
			s.Names = append(s.Names, entry.As)
		}
	}
}

// Above returns the nearest folder above one in which an application is, by a manifest or a
// configuration; "" where the folder itself has one, or none has. What lies above the top of a
// repository is not looked at.
func Above(dir string) string {
	at, err := filepath.Abs(dir)
	if err != nil {
		return ""
	}
	for first := true; ; first = false {
		_, err := os.Stat(filepath.Join(at, config.File))
		if err == nil || len(sidesIn(at)) > 0 {
			if first {
				return ""
			}
			return at
		}
		if _, err := os.Stat(filepath.Join(at, ".git")); err == nil || filepath.Dir(at) == at {
			return ""
		}
		at = filepath.Dir(at)
	}
}

// Declares reports whether a name, as people write it, is declared on a side, or is a runtime of it.
func (s Side) Declares(name string) bool {
	return slices.Contains(s.Names, ecosystem.Canonical(s.Ecosystem, name)) || slices.Contains(s.Runtimes, name)
}

// OtherSides lists the other sides, where the configuration leaves open which is meant.
func (a *View) OtherSides() []Side { return a.otherSides() }

func findOtherSides(a *View) func() []Side {
	return sync.OnceValue(func() []Side {
		if a.Config.Ecosystem != "" {
			return nil
		}
		return slices.DeleteFunc(sidesIn(a.Dir), func(s Side) bool { return s.Ecosystem.Name() == a.Eco.Name() })
	})
}

// SideName is the ecosystem of the application where its folder has several, else "".
func (a *View) SideName() string {
	if len(a.OtherSides()) == 0 {
		return ""
	}
	return a.Eco.Name()
}

// elsewhere reports whether a name is declared on another side and not on this one.
func elsewhere(a *View, name string) bool {
	if a.Manifest != nil && slices.ContainsFunc(
		a.Manifest.Entries(), func(e ecosystem.Entry) bool { return project.OwnName(e.As) == a.Canonical(name) }) {
		return false
	}
	for _, r := range ecosystem.Runtimes(a.Eco) {
		if r.Name == name {
			return false
		}
	}
	return slices.ContainsFunc(a.OtherSides(), func(s Side) bool { return s.Declares(name) })
}

func sideNames(a *View) (all []string) {
	for _, e := range a.Ecosystems() {
		all = append(all, e.Name())
	}
	return all
}

// Ecosystems lists those of all sides, this one's among them, in the order of Ecosystems.
func (a *View) Ecosystems() []ecosystem.Ecosystem {
	return slices.DeleteFunc(slices.Clone(registered.Ecosystems), func(e ecosystem.Ecosystem) bool {
		return e.Name() != a.Eco.Name() &&
			!slices.ContainsFunc(a.OtherSides(), func(s Side) bool { return s.Ecosystem.Name() == e.Name() })
	})
}
