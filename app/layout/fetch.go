package layout

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"molt/app/locking"
	"molt/app/open"
	"molt/app/planfile"
	"molt/app/tree"
	"molt/core/universe"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
)

// Locks returns the lock of the application, or the one that relock would write, and those that the
// stages of a plan lead to, one after the other; the plan may be nil.
func Locks(ctx context.Context, a *open.Question, plan *planfile.Plan) ([]*ecosystem.Lock, error) {
	lock, _, err := locking.Relock(ctx, a)
	if err != nil {
		return nil, err
	}
	all := []*ecosystem.Lock{lock.Whole()}
	if plan == nil {
		return all, nil
	}
	w, err := locking.Walk(a)
	if err != nil {
		return nil, err
	}
	for i := range plan.Stages {
		stage := &plan.Stages[i]
		if stage.Status == doc.Done {
			continue
		}
		if err := w.Stage(ctx, stage); err != nil {
			return nil, locking.AtStage(a.View, plan, stage, err)
		}
		if stage.Raise != nil {
			continue
		}
		lock, err := locking.NewLock(ctx, a, w.Locked, w.Manifest, a.Lock)
		if err != nil {
			return nil, err
		}
		all = append(all, lock.Whole())
	}
	return all, nil
}

// Documents returns of how many packages documents were read so far.
func Documents(a *open.Question) int {
	if recorder, records := a.Opened.(ecosystem.Recorder); records {
		return len(recorder.Seen())
	}
	return a.Progress().Documents
}

// FetchArchives has what locks need to be laid out in the store.
func FetchArchives(ctx context.Context, a *open.Question, locks []*ecosystem.Lock,
	watch func(done, of int)) (tree.Fetched, error) {
	if flat, ok := a.Eco.(ecosystem.Flat); ok {
		t, err := a.Archives().Environment(flat, a.Files)
		if err != nil {
			return tree.Fetched{}, err
		}
		return t.FetchAll(ctx, locks, watch)
	}
	installer, can := a.Eco.(ecosystem.Installer)
	if !can {
		return tree.Fetched{}, nil
	}
	kept, err := a.Store()
	if err != nil {
		return tree.Fetched{}, err
	}
	t := &tree.Tree{Files: a.Files, Store: kept, Eco: installer, Overridden: open.Written(a.Manifest.Overrides()),
		Download: a.Archives().Download}
	return t.FetchAll(ctx, locks, watch)
}

// Snapshot writes everything that was read of the registries so far to one file, and on request the
// archives of locks, for all platforms. It returns what the snapshot says of itself.
func Snapshot(ctx context.Context, a *open.Question, file string, locks []*ecosystem.Lock,
	archives bool) (registry.SnapshotAbout, error) {
	about := registry.SnapshotAbout{Ecosystem: a.Eco.Name(), Made: a.Now().Format(time.DateOnly), Goal: a.GoalText()}
	server, can := a.Eco.(ecosystem.Server)
	recorder, records := a.Opened.(ecosystem.Recorder)
	if !can || !records {
		return about, &input.UsageError{Reason: "there are no snapshots of registries of " + a.Eco.Name()}
	}
	var files []registry.SnapshotFile
	for _, p := range recorder.Seen() {
		files = append(files, registry.SnapshotFile{Name: p.Name + ".json", Write: func(w io.Writer) error {
			_, err := w.Write(server.Document(p))
			return err
		}})
	}
	about.Documents = len(files)
	if more, ok := a.Opened.(ecosystem.FileRecorder); ok {
		for address, data := range more.SeenFiles() {
			if name := registry.SnapshotName(address); name != "" {
				files = append(files, registry.SnapshotFile{Name: name, Write: func(w io.Writer) error {
					_, err := w.Write(data)
					return err
				}})
			}
		}
	}
	if archives {
		dir, err := os.MkdirTemp("", "molt-snapshot-")
		if err != nil {
			return about, err
		}
		defer os.RemoveAll(dir)
		more, err := snapshotArchives(ctx, a, dir, locks)
		if err != nil {
			return about, err
		}
		files, about.Archives = append(files, more...), len(more)
	}
	return about, registry.WriteSnapshot(file, about, files)
}

// snapshotArchives downloads the archives of locks to a folder, and returns them as files of a
// snapshot, which read them there.
func snapshotArchives(ctx context.Context, a *open.Question, dir string,
	locks []*ecosystem.Lock) ([]registry.SnapshotFile, error) {
	from := a.Archives()
	var files []registry.SnapshotFile
	seen := map[string]bool{}
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(16)
	for _, l := range locks {
		packages := withFiles(ctx, a.View, l)
		for i := range packages {
			p := &packages[i]
			name := registry.SnapshotName(p.Source)
			if name == "" || seen[name] {
				continue
			}
			if strings.HasSuffix(name, ".json") { // the name of a document
				return nil, errors.Join(fmt.Errorf("%s: a snapshot cannot have an archive at %s", p.ID, p.Source), g.Wait())
			}
			seen[name] = true
			at := filepath.Join(dir, fmt.Sprint(len(files)))
			files = append(files, registry.SnapshotFile{Name: name, Write: func(w io.Writer) error {
				f, err := os.Open(at)
				if err != nil {
					return err
				}
				defer f.Close()
				_, err = io.Copy(w, f)
				return err
			}})
			g.Go(func() error {
				f, err := os.Create(at)
				if err != nil {
					return err
				}
				err = from.Download(ctx, p, rewound{f})
				return errors.Join(err, f.Close())
			})
		}
	}
	return files, g.Wait()
}

// withFiles lists the packages of a lock with the one file that each has; where there are several,
// with that for this machine, else with all of them, one after the other.
func withFiles(ctx context.Context, a *open.View, l *ecosystem.Lock) []ecosystem.LockedPackage {
	flat, ok := a.Eco.(ecosystem.Flat)
	if !ok {
		return l.Packages
	}
	host, err := flat.Probe(ctx, l)
	var all []ecosystem.LockedPackage
	for _, p := range l.Releases() {
		files := p.Files
		if err == nil {
			if f, fits := flat.FileFor(&p, host); fits {
				files = []universe.File{f}
			}
		}
		for _, f := range files {
			one := p
			one.Source, one.Integrity = f.Address, f.Integrity
			all = append(all, one)
		}
	}
	return all
}

// A rewound file takes a download that starts over.
type rewound struct{ *os.File }

func (r rewound) Reset() error {
	if _, err := r.Seek(0, io.SeekStart); err != nil {
		return err
	}
	return r.Truncate(0)
}
