package layout

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"molt/app/open"
	"molt/app/tree"
	"molt/ecosystem"
	"molt/input"
	"molt/txn"
)

// copySources copies the files that people keep into another folder, and returns how many there
// are. Where that folder lies in the application, what lies next to it there (other such folders) is
// none of these files.
func copySources(ctx context.Context, a *open.View, into string) (int, error) {
	names, err := a.Runner().Sources(ctx)
	if err != nil {
		return 0, err
	}
	into, err = filepath.Abs(into)
	if err != nil {
		return 0, err
	}
	beside, err := filepath.Rel(a.Dir, filepath.Dir(into))
	if err != nil || !filepath.IsLocal(beside) {
		beside = ""
	}
	if beside == "." { // directly in the application
		beside = filepath.Base(into)
	}
	n := 0
	for _, name := range names {
		if err := ctx.Err(); err != nil {
			return n, err
		}
		if beside != "" && strings.HasPrefix(name, filepath.ToSlash(beside)+"/") {
			continue
		}
		if err := copyFile(filepath.Join(a.Dir, filepath.FromSlash(name)),
			filepath.Join(into, filepath.FromSlash(name))); err != nil {
			if errors.Is(err, fs.ErrNotExist) { // git lists what was deleted and not committed
				continue
			}
			return n, err
		}
		n++
	}
	return n, nil
}

// takes makes sure that a folder may get a complete tree: there is none yet, or an empty one, or
// one that Molt made. It reports whether it holds nothing.
func takes(a *open.View, into string, force bool) (empty bool, err error) {
	entries, err := os.ReadDir(into)
	// of a Molt that was ended early
	entries = slices.DeleteFunc(entries, func(e fs.DirEntry) bool { return e.Name() == txn.StateDir })
	switch {
	case errors.Is(err, fs.ErrNotExist), err == nil && len(entries) == 0:
		return true, nil
	case err != nil:
		return false, err
	}
	here, err := os.Stat(a.Dir)
	if err != nil {
		return false, err
	}
	if there, err := os.Stat(into); err != nil || os.SameFile(here, there) {
		return false, errors.Join(err,
			&input.UsageError{Reason: "--into: that is the application's own folder; molt install without it installs there"})
	}
	if _, err := os.Stat(filepath.Join(into, ecosystem.InstallFolder(a.Eco), tree.RecordFile)); err != nil && !force {
		return false, &input.UsageError{
			Reason: fmt.Sprintf("--into %s: there are files that Molt did not put there; --force has Molt write among them",
				into)}
	}
	return false, nil
}

// copyFile copies a file with its permissions, under a temporary name first. A link is copied as one.
func copyFile(from, to string) error {
	info, err := os.Lstat(from)
	if err != nil || info.IsDir() {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		return err
	}
	part := to + "." + rand.Text()
	if info.Mode()&fs.ModeSymlink != 0 {
		leads, err := os.Readlink(from)
		if err == nil {
			err = os.Symlink(leads, part)
		}
		if err != nil {
			return err
		}
		return os.Rename(part, to)
	}
	if err := input.Regular(from, info); err != nil {
		return err
	}
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(part, os.O_CREATE|os.O_EXCL|os.O_WRONLY, info.Mode().Perm())
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	if err = errors.Join(err, out.Close()); err == nil {
		err = os.Rename(part, to)
	}
	if err != nil {
		_ = os.Remove(part) // nothing is lost with it
	}
	return err
}

// switchable is an error where something other than a link has the name of a link that is to be switched.
func switchable(link string) error {
	if link == "" {
		return nil
	}
	info, err := os.Lstat(link)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err == nil && info.Mode()&fs.ModeSymlink == 0 {
		err = &input.UsageError{Reason: fmt.Sprintf("--current %s: it is no link, and Molt replaces none but links", link)}
	}
	return err
}

// formerOf is the link that keeps where another one led before.
func formerOf(link string) string { return link + ".former" }

// switchBack has a link lead to where it led before; what it led to until now is the former place then.
func switchBack(order InstallOrder) (*Installed, error) {
	former, err := os.Readlink(formerOf(order.Current))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("--current %s: it was not switched before, so there is nowhere to go back to; --into names a "+
				"new folder for it", order.Current)}
	}
	if err != nil {
		return nil, err
	}
	to := former
	if !filepath.IsAbs(to) {
		to = filepath.Join(filepath.Dir(order.Current), to)
	}
	if info, err := os.Stat(to); err != nil || !info.IsDir() {
		return nil, errors.Join(err, &input.UsageError{
			Reason: fmt.Sprintf("--current %s: %s, where it led before, is no folder any more", order.Current, to)})
	}
	done := &Installed{Report: &tree.Report{}, Back: to}
	if order.Dry {
		return done, nil
	}
	done.Former, err = switchLink(order.Current, to)
	return done, err
}

// switchLink has a link lead to a folder, in one move, and returns where it led before, which a
// second link next to it keeps.
func switchLink(link, to string) (former string, err error) {
	if former, err = os.Readlink(link); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return "", err
	}
	dir, err := filepath.Abs(filepath.Dir(link))
	if err != nil {
		return "", err
	}
	if to, err = filepath.Abs(to); err != nil {
		return "", err
	}
	if rel, err := filepath.Rel(dir, to); err == nil {
		to = rel
	}
	if former == to { // it leads there already, and what it led to before stays the former place
		return former, nil
	}
	if former != "" {
		if err := putLink(formerOf(link), former); err != nil {
			return "", err
		}
	}
	return former, putLink(link, to)
}

// putLink makes a link, or has one lead elsewhere, in one move.
func putLink(link, to string) error {
	part := link + "." + rand.Text()
	if err := os.Symlink(to, part); err != nil {
		return err
	}
	if err := os.Rename(part, link); err != nil {
		return errors.Join(err, os.Remove(part))
	}
	return nil
}
