package vcs

import (
	"context"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
)

// A Branch is one of git, with its last commit.
type Branch struct {
	Name, Commit, Parent, Tree, Message string
}

// Branches lists the branches whose names begin with a prefix.
func (r Repo) Branches(ctx context.Context, prefix string) ([]Branch, error) {
	const end = "\x00"
	out, err := r.git(ctx, "list branches", "for-each-ref",
		"--format=%(refname:short)%00%(objectname)%00%(parent)%00%(tree)%00%(contents)%00%00", "refs/heads/"+prefix)
	if err != nil {
		return nil, err
	}
	var all []Branch
	for one := range strings.SplitSeq(out, end+end) {
		fields := strings.SplitN(strings.TrimLeft(one, "\n"), end, 5)
		if len(fields) == 5 {
			all = append(all, Branch{fields[0], fields[1], fields[2], fields[3], fields[4]})
		}
	}
	return all, nil
}

// Head returns the commit that is checked out.
func (r Repo) Head(ctx context.Context) (string, error) {
	out, err := r.git(ctx, "find the commit", "rev-parse", "--verify", "HEAD")
	return strings.TrimSpace(out), err
}

// SetBranch makes or moves a branch to a commit on top of the one that is checked out, with other
// texts of some files; neither the work tree nor the index is touched. A branch that is there must
// be at a commit (was, "" for a new one) and does not change when it has the same texts on the same
// commit already. It returns the commit.
func (r Repo) SetBranch(ctx context.Context, was Branch, name, message string,
	files map[string][]byte) (commit string, changed bool, err error) {
	head, err := r.Head(ctx)
	if err != nil {
		return "", false, err
	}
	dir, err := os.MkdirTemp("", "molt-index-*")
	if err != nil {
		return "", false, err
	}
	defer os.RemoveAll(dir)
	index := []string{"GIT_INDEX_FILE=" + filepath.Join(dir, "index")}
	if _, err := r.run(ctx, "read the commit", index, nil, "read-tree", head); err != nil {
		return "", false, err
	}
	prefix, err := r.Prefix(ctx)
	if err != nil {
		return "", false, err
	}
	for _, file := range slices.Sorted(maps.Keys(files)) {
		at := path.Join(prefix, file)
		// as git would for the work tree
		blob, err := r.run(ctx, "keep "+file, nil, files[file], "hash-object", "-w", "--stdin", "--path="+at)
		if err != nil {
			return "", false, err
		}
		mode := "100644"
		if listed, err := r.run(ctx, "find "+file, index, nil, "ls-files", "--full-name", "--stage", "--",
			":/"+at); err == nil && strings.HasPrefix(listed, "100755") {
			mode = "100755"
		}
		if _, err := r.run(ctx, "keep "+file, index, nil, "update-index", "--add", "--cacheinfo",
			mode+","+blob+","+at); err != nil {
			return "", false, err
		}
	}
	tree, err := r.run(ctx, "keep the files", index, nil, "write-tree")
	if err != nil {
		return "", false, err
	}
	if was.Tree == tree && was.Parent == head {
		return was.Commit, false, nil
	}
	commit, err = r.run(ctx, "commit", nil, []byte(message), "commit-tree", tree, "-p", head, "-F", "-")
	if err != nil {
		return "", false, err
	}
	old := was.Commit
	if old == "" {
		old = strings.Repeat("0", len(head))
	}
	_, err = r.run(ctx, "make the branch "+name, nil, nil, "update-ref", "refs/heads/"+name, commit, old)
	return commit, true, err
}

// DeleteBranch removes a branch that is at a commit.
func (r Repo) DeleteBranch(ctx context.Context, b Branch) error {
	_, err := r.run(ctx, "remove the branch "+b.Name, nil, nil, "update-ref", "-d", "refs/heads/"+b.Name, b.Commit)
	return err
}

// run is gitWith, without the line end of what git prints.
func (r Repo) run(ctx context.Context, doing string, env []string, in []byte, args ...string) (string, error) {
	out, err := r.gitWith(ctx, doing, env, in, args...)
	return strings.TrimSpace(out), err
}
