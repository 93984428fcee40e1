package vcs

import (
	"context"
	"slices"
	"strings"
	"time"
)

// A Commit is a commit whose message has one of the trailers that were asked for.
type Commit struct {
	Hash     string
	At       time.Time
	Trailers []Trailer
}

// A Trailer is a line "Key: value" of a commit's message.
type Trailer struct{ Key, Value string }

// WithTrailers lists the commits of the branch whose messages have a trailer of one of the keys,
// oldest first, with these trailers only. Nothing is found without git, or before the first
// commit.
func (r Repo) WithTrailers(ctx context.Context, keys ...string) ([]Commit, error) {
	if !r.Here(ctx) || !r.HasCommit(ctx) {
		return nil, ctx.Err()
	}
	args := []string{"log", "--reverse", "--first-parent", "-z", "--format=%H %cI%n%B"}
	for _, key := range keys {
		args = append(args, "--grep=^"+key+": ")
	}
	log, err := r.git(ctx, "read the history", args...)
	if err != nil {
		return nil, err
	}
	var all []Commit
	for entry := range strings.SplitSeq(log, "\x00") {
		head, body, _ := strings.Cut(entry, "\n")
		hash, at, ok := strings.Cut(head, " ")
		if !ok {
			continue
		}
		c := Commit{Hash: hash}
		c.At, _ = time.Parse(time.RFC3339, at) // git writes it so
		for line := range strings.Lines(body) {
			if key, value, found := strings.Cut(strings.TrimSpace(line), ": "); found && slices.Contains(keys, key) {
				c.Trailers = append(c.Trailers, Trailer{key, value})
			}
		}
		all = append(all, c)
	}
	return all, nil
}

// Changed returns what a commit did to the files of the folder: each as it was and as it became, nil for no file.
func (r Repo) Changed(ctx context.Context, commit string) (map[string][2][]byte, error) {
	names, err := r.git(ctx, "list a commit's files", "diff-tree", "-r", "-z", "--root", "--no-commit-id", "--name-only",
		"--relative", commit)
	if err != nil {
		return nil, err
	}
	changed := map[string][2][]byte{}
	for name := range strings.SplitSeq(names, "\x00") {
		if name != "" {
			changed[name] = [2][]byte{r.FileAt(ctx, commit+"^", name), r.FileAt(ctx, commit, name)}
		}
	}
	return changed, ctx.Err()
}

// IsRoot reports whether a commit has no parent.
func (r Repo) IsRoot(ctx context.Context, commit string) bool {
	return !r.has(ctx, commit+"^") && ctx.Err() == nil
}

// DateOf returns when a revision was committed.
func (r Repo) DateOf(ctx context.Context, revision string) (when time.Time, known bool) {
	if !r.IsRevision(ctx, revision) {
		return when, false
	}
	out, err := r.git(ctx, "date "+revision, "show", "--no-patch", "--format=%cI", "--end-of-options",
		revision+"^{commit}")
	if err != nil {
		return when, false
	}
	when, err = time.Parse(time.RFC3339, strings.TrimSpace(out))
	return when, err == nil
}
