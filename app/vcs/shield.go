package vcs

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
)

// A repository's own configuration can name programs that git then runs: a monitor of the file
// system, hooks, filters, viewers of differences, programs for signatures and for the network. A
// folder may come from anybody, so every call of git is shielded: options that come after the
// repository's configuration turn these programs off. Only a commit that was consented to
// (Repo.Commit) runs some of them.
//
// What the person's own configuration names, outside the repository, stays as it is.

// fixed are options of every call. A folder that merely looks like a bare repository is none.
var fixed = []string{
	"--no-pager", "--no-optional-locks",
	"-c", "safe.bareRepository=explicit",
	"-c", "log.showSignature=false",
	"-c", "diff.ignoreSubmodules=all",
	"-c", "submodule.recurse=false",
	"-c", "core.fsmonitor=false",
	"-c", "core.hooksPath=" + os.DevNull,
}

// fixedEnv are variables of every call: no network, not even for objects that a partial clone left
// out, and no questions.
var fixedEnv = []string{"GIT_ALLOW_PROTOCOL=none", "GIT_NO_LAZY_FETCH=1", "GIT_TERMINAL_PROMPT=0"}

// commandKey matches the keys of git's configuration whose values git runs as programs.
const commandKey = `^(filter\..*\.(clean|smudge|process|required)|diff\.external|diff\..*\.(command|textconv)|merge\..*\.driver|` +
	`gpg\.(.*\.)?program|gpg\..*\.defaultkeycommand|core\.(sshcommand|editor|askpass|pager|gitproxy|alternaterefscommand)|` +
	`sequence\.editor|pager\..*|credential\..*|interactive\.difffilter|remote\..*\.(uploadpack|receivepack|vcs)|uploadpack\.packobjectshook|` +
	`trailer\..*\.(command|cmd))$`

// requiredKey matches the one such key that says whether a filter must succeed.
var requiredKey = regexp.MustCompile(`^filter\..*\.required$`)

// A setting is a line of a repository's own configuration.
type setting struct{ key, value string }

// An asked is what a Repo was told of its settings, so that it asks once.
type asked struct {
	mu   sync.Mutex
	done bool
	own  []setting
}

// settings lists the repository's own settings that name programs.
func (r Repo) settings(ctx context.Context) ([]setting, error) {
	if r.asked == nil {
		return r.askSettings(ctx)
	}
	r.asked.mu.Lock()
	defer r.asked.mu.Unlock()
	if !r.asked.done {
		own, err := r.askSettings(ctx)
		if err != nil {
			return nil, err
		}
		r.asked.own, r.asked.done = own, true
	}
	return r.asked.own, nil
}

func (r Repo) askSettings(ctx context.Context) ([]setting, error) {
	out, err := r.raw(ctx, "read the repository's configuration", nil, nil,
		append(slices.Clone(fixed), "config", "--includes", "--show-scope", "-z", "--get-regexp", commandKey))
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, nil // there are none, or there is no repository
	}
	var all []setting
	fields := strings.Split(out, "\x00")
	for i := 0; i+1 < len(fields); i += 2 {
		if scope := fields[i]; scope != "local" && scope != "worktree" {
			continue
		}
		key, value, _ := strings.Cut(fields[i+1], "\n")
		all = append(all, setting{key, value})
	}
	return all, nil
}

// shield returns the options that turn off what the repository's own configuration would have git run.
func (r Repo) shield(ctx context.Context) ([]string, error) {
	own, err := r.settings(ctx)
	if err != nil {
		return nil, err
	}
	options := slices.Clone(fixed)
	for _, s := range own {
		value := ""
		if requiredKey.MatchString(s.key) {
			value = "false"
		}
		options = append(options, "-c", s.key+"="+value)
	}
	return options, nil
}

// commitHooks are the hooks that a commit runs.
var commitHooks = []string{"pre-commit", "prepare-commit-msg", "commit-msg", "post-commit", "post-index-change",
	"reference-transaction", "pre-auto-gc"}

// A Program is what git would run for a commit because the repository says so.
type Program struct {
	Name   string // "hook pre-commit", or the key of the configuration
	Line   string // the file of a hook, or the value of the key
	Digest string // of the hook's text, in hexadecimal digits; "" for a key
}

// CommitPrograms lists what a commit would run because the repository says so, in a fixed order.
func (r Repo) CommitPrograms(ctx context.Context) ([]Program, error) {
	var all []Program
	folder, err := r.hookFolder(ctx)
	if err != nil {
		return nil, err
	}
	for _, name := range commitHooks {
		file := filepath.Join(folder, name)
		info, err := os.Stat(file)
		if err != nil || !info.Mode().IsRegular() || info.Mode()&0o111 == 0 {
			continue
		}
		text, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		sum := sha256.Sum256(text)
		all = append(all, Program{"hook " + name, file, hex.EncodeToString(sum[:])})
	}
	own, err := r.settings(ctx)
	for _, s := range own {
		if !requiredKey.MatchString(s.key) && s.value != "" {
			all = append(all, Program{Name: s.key, Line: s.value})
		}
	}
	return all, err
}

// hookFolder returns the folder in which git looks for hooks when it is not told otherwise.
func (r Repo) hookFolder(ctx context.Context) (string, error) {
	// With the option that turns hooks off, git would answer with that. The command runs nothing.
	folder, err := r.raw(ctx, "find the hooks", nil, nil, append(unshielded(), "rev-parse", "--git-path", "hooks"))
	if err != nil {
		return "", err
	}
	folder = strings.TrimSuffix(folder, "\n")
	if !filepath.IsAbs(folder) {
		folder = filepath.Join(r.Dir, folder)
	}
	return folder, nil
}

// unshielded are the options of a commit that was consented to: hooks run, and what the
// repository's configuration names.
func unshielded() []string {
	at := slices.Index(fixed, "core.fsmonitor=false")
	return slices.Clone(fixed[:at+1])
}
