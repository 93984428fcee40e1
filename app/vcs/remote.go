package vcs

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"net/url"
	"os"
	"regexp"
	"strconv"
	"strings"

	"molt/input"
)

// reference matches the names of branches, tags and commits that git is asked for; none of them can
// be taken for an option.
var reference = regexp.MustCompile(`^[0-9A-Za-z_][0-9A-Za-z._/+-]*$`)

// protocol returns the one protocol by which git may fetch from an address: https or ssh, or from
// this machine itself http.
func protocol(address string) (string, error) {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Host == "" || strings.HasPrefix(u.Host, "-") || strings.HasPrefix(u.User.Username(), "-"):
		return "", fmt.Errorf("%s is no address of a repository", input.Quote(address))
	case u.Scheme == "https" && u.User == nil:
		return "https", nil
	case u.Scheme == "ssh":
		if _, secret := u.User.Password(); !secret {
			return "ssh", nil
		}
	case u.Scheme == "http" && u.User == nil:
		if ip := net.ParseIP(u.Hostname()); u.Hostname() == "localhost" || ip != nil && ip.IsLoopback() {
			return "http", nil
		}
	}
	return "", errors.New("git fetches by https or ssh, without a password in the address")
}

// Remote fetches a branch, a tag or a commit of another repository, "" for what it calls its head,
// and returns the commit with its files as an archive: zip, nothing compressed, without times, in
// the order of the tree and below one folder, so that the same commit gives the same bytes.
// Submodules and links are left out. A *GitError says that git could not, an *input.LimitError that
// there is too much.
func Remote(ctx context.Context, address, ref string) (commit string, archive []byte, err error) {
	by, err := protocol(address)
	if err != nil {
		return "", nil, err
	}
	if ref == "" {
		ref = "HEAD"
	}
	if !reference.MatchString(ref) {
		return "", nil, fmt.Errorf("%s is no name of a branch, a tag or a commit", input.Quote(ref))
	}
	dir, err := os.MkdirTemp("", "molt-git-")
	if err != nil {
		return "", nil, err
	}
	defer os.RemoveAll(dir)
	r, env := At(dir), []string{"GIT_DIR=" + dir, "GIT_ALLOW_PROTOCOL=" + by}
	if _, err := r.gitWith(ctx, "make a repository", env, nil, "init", "--quiet", "--bare", "."); err != nil {
		return "", nil, err
	}
	fetch := func(args ...string) error {
		_, err := r.gitWith(ctx, "fetch "+ref+" of "+address, env,
			nil, append([]string{"-c", "http.lowSpeedLimit=1000", "-c", "http.lowSpeedTime=20", "fetch", "--quiet", "--no-tags",
				"--no-recurse-submodules"}, args...)...)
		return err
	}
	named := "FETCH_HEAD"
	if err := fetch("--depth=1", address, ref); err != nil && ctx.Err() == nil {
		// not every server gives less than all, or a commit by its name
		err = fetch(address, "+refs/heads/*:refs/heads/*", "+refs/tags/*:refs/tags/*")
		if err == nil && ref == "HEAD" {
			err = fetch(address, ref)
		} else {
			named = ref
		}
		if err != nil {
			return "", nil, err
		}
	}
	if commit, err = r.gitWith(ctx, "find "+ref+" in "+address, env, nil, "rev-parse", "--verify", "--end-of-options",
		named+"^{commit}"); err != nil {
		return "", nil, err
	}
	commit = strings.TrimSpace(commit)
	archive, err = r.zipped(ctx, env, commit)
	return commit, archive, err
}

// Tags lists the tags of another repository.
func Tags(ctx context.Context, address string) (all []string, err error) {
	by, err := protocol(address)
	if err != nil {
		return nil, err
	}
	dir, err := os.MkdirTemp("", "molt-git-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	out, err := At(dir).gitWith(ctx, "list the tags of "+address, []string{"GIT_ALLOW_PROTOCOL=" + by}, nil, "ls-remote",
		"--tags", "--refs", "--quiet", address)
	for line := range strings.Lines(out) {
		_, name, _ := strings.Cut(strings.TrimSpace(line), "\t")
		all = append(all, strings.TrimPrefix(name, "refs/tags/"))
	}
	return all, err
}

// mostFiles is how many files of a commit are taken.
const mostFiles = 50_000

func (r Repo) zipped(ctx context.Context, env []string, commit string) ([]byte, error) {
	tree, err := r.gitWith(ctx, "read a commit", env, nil, "ls-tree", "-r", "-l", "-z", "--full-tree", commit)
	if err != nil {
		return nil, err
	}
	type file struct {
		name string
		mode fs.FileMode
		size int64
	}
	var files []file
	var wanted bytes.Buffer
	total := int64(0)
	for line := range strings.SplitSeq(strings.TrimSuffix(tree, "\x00"), "\x00") {
		about, name, _ := strings.Cut(line, "\t")
		fields := strings.Fields(about) // mode, type, name of the object, size
		if len(fields) != 4 || fields[1] != "blob" || fields[0] == "120000" {
			continue
		}
		size, err := strconv.ParseInt(fields[3], 10, 64)
		if err != nil {
			return nil, err
		}
		mode := fs.FileMode(0o644)
		if fields[0] == "100755" {
			mode = 0o755
		}
		if total += size; total > input.Archive.Bytes || len(files) == mostFiles {
			return nil, input.Archive.Exceeded("the commit " + commit)
		}
		files = append(files, file{name, mode, size})
		wanted.WriteString(fields[2] + "\n")
	}
	blobs, err := r.gitWith(ctx, "read the files of a commit", env, wanted.Bytes(), "cat-file", "--batch")
	if err != nil {
		return nil, err
	}
	from := strings.NewReader(blobs)
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, f := range files {
		for c := byte(0); c != '\n'; { // the line before each says what comes
			if c, err = from.ReadByte(); err != nil {
				return nil, err
			}
		}
		h := &zip.FileHeader{Name: "package/" + f.name, Method: zip.Store}
		h.SetMode(f.mode)
		into, err := w.CreateHeader(h)
		if err != nil {
			return nil, err
		}
		if _, err := io.CopyN(into, from, f.size); err != nil {
			return nil, err
		}
		if _, err := from.ReadByte(); err != nil { // the line end after it
			return nil, err
		}
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}
