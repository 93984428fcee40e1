package locking

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/app/open"
	"molt/app/vcs"
	"molt/core/project"
	"molt/core/solve"
	"molt/ecosystem"
	"molt/input"
)

// A Merged is how a conflict between two branches was resolved.
type Merged struct {
	Manifests map[string][]byte // the texts of those that git had not merged already
	Lock      []byte
	Locked    *ecosystem.Lock
	Took      []string // a line for each declaration and package on which the branches differ
}

// merged lists the files that Molt merges: manifests and lock.
func merged(a *open.View, texts []ecosystem.File) []string {
	var names []string
	for _, f := range texts {
		names = append(names, f.Name)
	}
	return append(names, a.LockFile())
}

// OpenConflict reads an application whose manifest or lock git could not merge: in their place
// stands what the branch in use has. It is nil when there is no such conflict.
func OpenConflict(ctx context.Context, s open.Settings) (*open.View, error) {
	a, err := open.Configured(s)
	if err != nil {
		return nil, err
	}
	texts, err := a.ManifestTexts()
	if err != nil {
		return nil, err
	}
	if marked, err := open.Marked(a, texts); err != nil || marked == "" {
		return nil, err
	}
	names := merged(a, texts)
	if conflict, err := a.Repo.Unmerged(ctx, names...); err != nil || !conflict {
		return nil, err
	}
	m, err := manifestsAt(ctx, a, vcs.Ours)
	if err != nil {
		return nil, err
	}
	return a.Declaring(m), nil
}

// A Branch is what one branch says.
type Branch struct {
	manifests *ecosystem.Manifests
	Lock      *ecosystem.Lock // nil for none
}

func side(ctx context.Context, a *open.View, at string) (Branch, error) {
	var s Branch
	var err error
	if s.manifests, err = manifestsAt(ctx, a, at); err != nil {
		return s, err
	}
	if data := a.Repo.FileAt(ctx, at, a.LockFile()); data != nil {
		s.Lock, err = ecosystem.DecodeLock(a.Eco, a.LockFile(), data)
	}
	return s, err
}

// manifestsAt reads the manifests of a side, as they lie in the folder where they are not in conflict.
func manifestsAt(ctx context.Context, a *open.View, at string) (*ecosystem.Manifests, error) {
	texts, err := open.TextsFrom(a, func(name string) ([]byte, error) {
		if data := a.Repo.FileAt(ctx, at, name); data != nil {
			return data, nil
		}
		return a.Files.Read(name, input.Manifest)
	})
	if err != nil {
		return nil, err
	}
	return ecosystem.ReadManifests(a.Eco, texts)
}

// Merge resolves a conflict: the declarations of both branches, where they differ the one that changed, and where both
// changed the one that leads to later releases; and a lock near to what both had. Nothing is written.
func Merge(ctx context.Context, a *open.Question) (*Merged, error) {
	var sides [3]Branch
	for i, at := range []string{vcs.Base, vcs.Ours, vcs.Theirs} {
		var err error
		if sides[i], err = side(ctx, a.View, at); err != nil {
			return nil, err
		}
	}
	m := &Merged{}
	if err := mergeManifest(ctx, a, m, sides); err != nil {
		return nil, err
	}
	texts := sides[1].manifests.Texts()
	for i, f := range texts {
		if text := m.Manifests[f.Name]; text != nil {
			texts[i].Data = bytes.Clone(text)
		}
	}
	merged, err := ecosystem.ReadManifests(a.Eco, texts)
	if err != nil {
		return nil, err
	}
	keep, contested := MergeKeep(sides)
	problem := solve.Problem{Strategy: a.Eco.Strategy(), Keep: keep, Outside: slices.Sorted(maps.Values(merged.Linked()))}
	for _, d := range a.DeclaredIn(merged) {
		problem.Roots = append(problem.Roots, d.Roots(d.Root(), d.Text, a.Eco.Scheme().Any())...)
	}
	r, err := solve.Resolve(ctx, project.Runnable(a.Source, a.Application()), problem)
	if err != nil {
		return nil, err
	}
	for _, name := range contested {
		if v := r.Versions()[name]; v != nil {
			m.Took = append(m.Took, fmt.Sprintf(
				"%s in the lock: %s (%s)", name, strings.Join(slices.Sorted(slices.Values(v)), " and "), sidesOf(sides, name)))
		}
	}
	if err := ecosystem.Unchanged(sides[1].Lock, orEmpty(sides[2].Lock), nil); err != nil {
		return nil, err
	}
	if m.Locked, err = NewLock(ctx, a, r, merged, sides[1].Lock); err != nil {
		return nil, err
	}
	m.Lock = ecosystem.EncodeLock(a.Eco, m.Locked)
	return m, nil
}

func orEmpty(l *ecosystem.Lock) *ecosystem.Lock {
	if l == nil {
		return &ecosystem.Lock{}
	}
	return l
}

// mergeManifest decides on each declaration, gives all three sides the same, and lets git merge
// what is left of the texts.
func mergeManifest(ctx context.Context, a *open.Question, m *Merged, sides [3]Branch) error {
	var unmerged []string // those that git has not merged
	for _, file := range sides[1].manifests.Files() {
		if a.Repo.FileAt(ctx, vcs.Ours, file) != nil && a.Repo.FileAt(ctx, vcs.Theirs, file) != nil {
			unmerged = append(unmerged, file)
		}
	}
	was, mine, other := open.TextsByKey(sides[0].manifests), open.TextsByKey(sides[1].manifests),
		open.TextsByKey(sides[2].manifests)
	var places []open.DeclarationKey
	for _, s := range sides {
		for _, e := range s.manifests.Entries() {
			if at := open.KeyOf(e.Group, e.As); slices.Contains(unmerged, e.File) && !slices.Contains(places, at) {
				places = append(places, at)
			}
		}
	}
	for _, at := range places {
		take, why, err := decide(ctx, a, at, packageAt(sides, at), texts{was, mine, other})
		if err != nil {
			return err
		}
		if mine[at] != other[at] {
			said := take
			if said == "" {
				said = "taken out"
			}
			m.Took = append(m.Took, fmt.Sprintf("%s: %s (%s)", at.Name, said, why))
		}
		for _, s := range sides {
			if err := give(s.manifests, at, take, as(sides, at, take)); err != nil {
				return err
			}
		}
	}
	m.Manifests = map[string][]byte{}
	for _, file := range unmerged {
		text, err := mergeTexts(ctx, a.View, file, sides)
		if err != nil {
			return err
		}
		m.Manifests[file] = text
	}
	return nil
}

// texts are what three sides say at each place of the manifests: the common ancestor, this branch, and the other one.
type texts struct {
	was, mine, other map[open.DeclarationKey]string
}

// decide picks one of the constraints that the branches have for a declaration, "" for none.
func decide(ctx context.Context, a *open.Question, at open.DeclarationKey, pkg string,
	of texts) (take, why string, err error) {
	was, mine, other := of.was, of.mine, of.other
	switch {
	case mine[at] == other[at]:
		return mine[at], "", nil
	case mine[at] == was[at]:
		return other[at], "the other branch changed it", nil
	case other[at] == was[at]:
		return mine[at], "this branch changed it", nil
	case mine[at] == "" || other[at] == "":
		return mine[at] + other[at], "one branch took it out, the other moved it", nil
	}
	if pkg == "" { // from outside the registry, or no package the same on both sides: nobody can say which is later
		return mine[at], "both changed it", nil
	}
	p, err := a.Source.Package(ctx, pkg)
	if err != nil {
		return "", "", err
	}
	x, errX := p.Admit(mine[at])
	y, errY := p.Admit(other[at])
	if errX == nil && errY == nil && y.Max() > x.Max() {
		return other[at], fmt.Sprintf("both changed it; %s leads to earlier releases", mine[at]), nil
	}
	return mine[at], fmt.Sprintf("both changed it; %s does not lead to later releases", other[at]), nil
}

// packageAt returns the package of the registry that both sides declare under a name, "" when there is none.
func packageAt(sides [3]Branch, at open.DeclarationKey) string {
	name := ""
	for _, s := range sides[1:] {
		for _, e := range s.manifests.Entries() {
			if open.KeyOf(e.Group, e.As) == at {
				if e.Foreign || name != "" && name != e.Package {
					return ""
				}
				name = e.Package
			}
		}
	}
	return name
}

// as returns how a side writes a constraint of a declaration: with the package, where that has another name.
func as(sides [3]Branch, at open.DeclarationKey, constraint string) string {
	for _, s := range sides {
		for _, e := range s.manifests.Entries() {
			if open.KeyOf(e.Group, e.As) == at && e.Text == constraint {
				return e.Written
			}
		}
	}
	return constraint
}

// give makes a manifest say a constraint for a declaration, "" for none. Written is the whole text for one that is new.
func give(m *ecosystem.Manifests, at open.DeclarationKey, constraint, written string) error {
	have, there := open.TextsByKey(m)[at]
	switch {
	case constraint == "" && there:
		return m.Remove(at.Group, at.Name)
	case constraint == "" || have == constraint:
		return nil
	case there:
		return m.Set(at.Group, at.Name, constraint)
	}
	return m.Add(at.Group, at.Name, written)
}

// mergeTexts merges manifests that declare the same.
func mergeTexts(ctx context.Context, a *open.View, file string, sides [3]Branch) ([]byte, error) {
	text, err := a.Repo.MergeTexts(ctx, sides[0].manifests.Contents()[file], sides[1].manifests.Contents()[file],
		sides[2].manifests.Contents()[file])
	var failed *vcs.GitError
	if errors.As(err, &failed) {
		return nil, &input.UsageError{Reason: fmt.Sprintf("%s is in conflict beside its declarations; resolve that first, "+
			"and leave the declarations of one side: molt relock then sees to them",
			file)}
	}
	return text, err
}

// versionsIn returns the versions of each package in a lock, sorted.
func versionsIn(l *ecosystem.Lock) map[string][]string {
	if l == nil {
		return map[string][]string{}
	}
	all := l.Resolution().Versions()
	for name := range all {
		slices.Sort(all[name])
	}
	return all
}

func sidesOf(sides [3]Branch, name string) string {
	var all []string
	for i, who := range []string{"before", "here", "in the other branch"} {
		v := "none"
		if have := versionsIn(sides[i].Lock)[name]; len(have) > 0 {
			v = strings.Join(have, " and ")
		}
		all = append(all, v+" "+who)
	}
	return strings.Join(all, ", ")
}

// MergeKeep says what to stay near to: of each package what the side has that moved it, and where
// both did, both. It also names the packages that the sides have differently.
func MergeKeep(sides [3]Branch) (keep map[string][]string, contested []string) {
	was, mine, other := versionsIn(sides[0].Lock), versionsIn(sides[1].Lock), versionsIn(sides[2].Lock)
	keep = map[string][]string{}
	names := map[string]bool{}
	for _, side := range []map[string][]string{mine, other} {
		for name := range side {
			names[name] = true
		}
	}
	for _, name := range slices.Sorted(maps.Keys(names)) {
		x, y, z := was[name], mine[name], other[name]
		if !slices.Equal(y, z) {
			contested = append(contested, name)
		}
		switch {
		case slices.Equal(y, z) || slices.Equal(z, x):
			keep[name] = y
		case slices.Equal(y, x):
			keep[name] = z
		default:
			keep[name] = slices.Concat(z, y)
		}
		if len(keep[name]) == 0 {
			delete(keep, name)
		}
	}
	return keep, contested
}

// WriteMerged puts a resolved conflict on disk. The folder must be in use.
func WriteMerged(a *open.View, m *Merged) error {
	files := map[string][]byte{a.LockFile(): m.Lock}
	maps.Copy(files, m.Manifests)
	return a.Files.WriteFiles("relock", files)
}
