package tree

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"molt/ecosystem"
	"molt/input"
	"molt/store"
)

// An environmentRecord is what was laid out.
type environmentRecord struct {
	Format   int               `json:"format"`
	Runtime  string            `json:"runtime"` // its executable and version
	Place    string            `json:"place"`   // where it stands, as scripts name it
	Packages map[string]string `json:"packages"`
	Copies   bool              `json:"copies,omitempty"`   // the files are no links to those of the store
	Compiled bool              `json:"compiled,omitempty"` // by the runtime
	// folders that are packages, with the SHA-256 of what makes them that
	Own map[string]string `json:"own,omitempty"`
}

// read returns the record of the environment; nil where there is none, or it is to be replaced whatever it is.
func (t *Environment) read(force bool) (*environmentRecord, error) {
	folder := t.Eco.InstallFolder()
	if !t.Files.Exists(folder) {
		return nil, nil
	}
	if info, err := t.Files.Root.Lstat(folder); err == nil && !info.IsDir() {
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("%s is no folder, and packages are laid out in one of that name; move it away",
				filepath.Join(t.Files.Dir, folder))}
	}
	r := &environmentRecord{}
	data, err := t.Files.Read(folder+"/"+RecordFile, input.State)
	switch {
	case err == nil && json.Unmarshal(data, r) == nil && r.Format == 1:
		return r, nil
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		return nil, err
	case force:
		return nil, nil
	}
	return nil, &ForeignError{folder}
}

// comparePackages says what changes.
func comparePackages(r *Report, was, now map[string]string) {
	versions := func(all map[string]string) map[string]string {
		by := map[string]string{}
		for release := range all {
			at := strings.LastIndexByte(release, '@')
			by[release[:max(at, 0)]] = release[at+1:]
		}
		return by
	}
	is, old := versions(now), versions(was)
	for _, name := range slices.Sorted(maps.Keys(is)) {
		switch v := old[name]; v {
		case "":
			r.Added = append(r.Added, name+"@"+is[name])
		case is[name]:
		default:
			r.Moved = append(r.Moved, Move{name, v, is[name]})
		}
	}
	for _, name := range slices.Sorted(maps.Keys(old)) {
		if is[name] == "" {
			r.Removed = append(r.Removed, name+"@"+old[name])
		}
	}
}

// examine compares the files of the environment that is there with those of the store, as far as
// this has them. It reports whether all of them are as they were laid out.
func (t *Environment) examine(ctx context.Context, host *ecosystem.Host, l *ecosystem.Lock, was *environmentRecord,
	r *Report) (whole bool, err error) {
	byRelease := map[string]*ecosystem.LockedPackage{}
	for i := range l.Packages {
		byRelease[l.Packages[i].Name+"@"+l.Packages[i].Version] = &l.Packages[i]
	}
	whole = true
	laid := laidAt(t.Files.Dir, t.Eco.InstallFolder())
	for _, release := range slices.Sorted(maps.Keys(was.Packages)) {
		if err := ctx.Err(); err != nil {
			return false, err
		}
		e, err := t.Store.Listed(was.Packages[release])
		if err != nil {
			return false, err
		}
		p := byRelease[release]
		if e == nil || p == nil {
			r.unknown = append(r.unknown, release)
			continue
		}
		a, err := t.arrangement(host, p, e, was.Place)
		if err != nil {
			continue // it would not be laid out again as it is
		}
		files := map[string]*store.File{}
		for i := range e.Files {
			files[e.Files[i].Path] = &e.Files[i]
		}
		for at, file := range a.Links {
			name := filepath.Join(t.Files.Dir, t.Eco.InstallFolder(), filepath.FromSlash(at))
			same, _, _ := e.Same(files[file], name, laid)
			switch _, err := os.Lstat(name); {
			case errors.Is(err, fs.ErrNotExist):
				whole = false
				if !slices.Contains(r.Mended, release) {
					r.Mended = append(r.Mended, release)
				}
			case !same:
				whole = false
				r.Edited = append(r.Edited, path.Join(t.Eco.InstallFolder(), at))
			}
		}
	}
	slices.Sort(r.Edited)
	return whole, nil
}

// Edited is Tree.Edited for an environment, which a lock was laid out in.
func (t *Environment) Edited(ctx context.Context, l *ecosystem.Lock) (edited, unknown []string, err error) {
	was, err := t.read(false)
	var foreign *ForeignError
	if errors.As(err, &foreign) || err == nil && was == nil {
		return nil, nil, nil
	}
	if err != nil {
		return nil, nil, err
	}
	host, err := t.Eco.Probe(ctx, l)
	if err != nil {
		return nil, nil, ctx.Err() // no runtime says how packages would lie here
	}
	r := &Report{}
	_, err = t.examine(ctx, host, l, was, r)
	return r.Edited, r.unknown, err
}

// skeleton has the runtime make an empty environment, whose scripts then name the place that it will have.
func (t *Environment) skeleton(ctx context.Context, host *ecosystem.Host, dir, place string) error {
	argv := t.Eco.Make(host, dir)
	command := exec.CommandContext(ctx, argv[0], argv[1:]...)
	if out, err := command.CombinedOutput(); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return fmt.Errorf("%s does not make an environment: %w\n%s", argv[0], err,
			input.Harmless(strings.TrimSpace(string(out))))
	}
	return filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() {
			return err
		}
		info, err := d.Info()
		if err != nil || info.Size() > 1<<20 {
			return err
		}
		text, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		if moved := t.Eco.Moved(text, dir, place); string(moved) != string(text) {
			return os.WriteFile(name, moved, info.Mode().Perm())
		}
		return nil
	})
}
