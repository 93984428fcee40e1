package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"molt/app/planfile"
	"molt/input"
)

// A GitError reports that git did not do what was asked.
type GitError struct {
	Doing string
	Says  string
}

func (e *GitError) Error() string { return fmt.Sprintf("git could not %s: %s", e.Doing, e.Says) }

// git runs the git program in the application's folder.
func (a *App) git(ctx context.Context, doing string, args ...string) (string, error) {
	return a.gitIn(ctx, a.Dir, doing, args...)
}

func (a *App) gitIn(ctx context.Context, dir, doing string, args ...string) (string, error) {
	cmd := exec.CommandContext(ctx, "git", append([]string{"-C", dir}, args...)...)
	var out, says bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &says
	switch err := cmd.Run(); {
	case ctx.Err() != nil:
		return "", ctx.Err()
	case errors.Is(err, exec.ErrNotFound):
		return "", &GitError{doing, "there is no git on this machine"}
	case err != nil:
		text := strings.TrimSpace(says.String())
		if text == "" {
			text = strings.TrimSpace(out.String())
		}
		if text == "" {
			text = "it gave no reason (" + err.Error() + ")" + a.hooks(ctx, args)
		}
		return "", &GitError{doing, text}
	}
	return out.String(), nil
}

// hooks names the hooks that a command of git would have run, so that one which refuses without a word can be found.
func (a *App) hooks(ctx context.Context, args []string) string {
	if len(args) == 0 || args[0] != "commit" {
		return ""
	}
	folder, err := a.git(ctx, "find the hooks", "rev-parse", "--git-path", "hooks")
	if err != nil {
		return ""
	}
	folder = strings.TrimSpace(folder)
	if !filepath.IsAbs(folder) {
		folder = filepath.Join(a.Dir, folder)
	}
	var names []string
	for _, name := range []string{"pre-commit", "prepare-commit-msg", "commit-msg", "reference-transaction"} {
		if info, err := os.Stat(filepath.Join(folder, name)); err == nil && info.Mode().IsRegular() && info.Mode()&0o111 != 0 {
			names = append(names, filepath.Join(folder, name))
		}
	}
	if names == nil {
		return ""
	}
	return "; it may have been refused by a hook: " + strings.Join(names, ", ")
}

// detached reports whether the application is under git, with a commit but no branch checked out.
func (a *App) detached(ctx context.Context) bool {
	if a.Branch(ctx) != "" || !a.underGit(ctx) {
		return false
	}
	_, err := a.git(ctx, "look for a commit", "rev-parse", "--quiet", "--verify", "HEAD")
	return err == nil
}

// underGit reports whether the application lies in a work tree of git.
func (a *App) underGit(ctx context.Context) bool {
	out, err := a.git(ctx, "find a work tree here", "rev-parse", "--is-inside-work-tree")
	return err == nil && strings.TrimSpace(out) == "true"
}

// Branch returns the branch that is checked out; "" without git, or when none is.
func (a *App) Branch(ctx context.Context) string {
	out, err := a.git(ctx, "tell the branch", "symbolic-ref", "--quiet", "--short", "HEAD")
	if err != nil {
		return ""
	}
	return strings.TrimSpace(out)
}

// NewBranch makes a branch and checks it out; the files stay as they are.
func (a *App) NewBranch(ctx context.Context, name string) error {
	if a.Branch(ctx) == name {
		return nil
	}
	if _, err := a.git(ctx, "check the branch's name", "check-ref-format", "--branch", name); err != nil {
		return &input.UsageError{Reason: fmt.Sprintf("%q is no name for a branch", name)}
	}
	_, err := a.git(ctx, "make the branch "+name, "switch", "--quiet", "--create", name)
	return err
}

// onBranch makes sure that the work tree is on the branch of the plan.
func (a *App) onBranch(ctx context.Context, doc *planfile.Plan) error {
	if doc.Branch == "" {
		return nil
	}
	switch now := a.Branch(ctx); now {
	case doc.Branch:
		return nil
	case "":
		return doc.Text.ErrorAt("$.branch", fmt.Sprintf("the plan is for the branch %s, and none is checked out here", doc.Branch))
	default:
		return doc.Text.ErrorAt("$.branch", fmt.Sprintf("the plan is for the branch %s, and %s is checked out; switch to it, or change this line", doc.Branch, now))
	}
}

// Committable makes sure that a stage can be committed on its own: the folder is under git, no merge or rebase is under
// way, and manifest and lock hold nothing that is not committed. A plan that is not committed yet goes with its first
// stage. A stage that was carried out and not committed, since something came between, is committed now; its name is
// returned.
func (a *App) Committable(ctx context.Context) (late string, err error) {
	if !a.underGit(ctx) {
		if err := ctx.Err(); err != nil {
			return "", err
		}
		return "", &input.UsageError{Reason: "--commit: there is no work tree of git here"}
	}
	for _, state := range []struct{ ref, what string }{{"MERGE_HEAD", "a merge"}, {"REBASE_HEAD", "a rebase"}, {"CHERRY_PICK_HEAD", "a cherry-pick"}} {
		if _, err := a.git(ctx, "look for "+state.what, "rev-parse", "--quiet", "--verify", state.ref); err == nil {
			return "", &input.UsageError{Reason: fmt.Sprintf("--commit: %s is under way; finish it first", state.what)}
		} else if ctx.Err() != nil {
			return "", ctx.Err()
		}
	}
	if late, err = a.commitLate(ctx); err != nil {
		return late, err
	}
	names, err := a.uncommitted(ctx, a.Eco.Manifest(), a.Eco.Lock())
	if err != nil {
		return late, err
	}
	if names != nil {
		return late, &input.UsageError{Reason: fmt.Sprintf("--commit: %s is not committed as it stands; commit or undo that first, so that the stage is a commit of its own", strings.Join(names, ", "))}
	}
	return late, nil
}

// uncommitted lists which of some files, or of all, are not as the last commit has them. Names are relative to the
// application.
func (a *App) uncommitted(ctx context.Context, files ...string) ([]string, error) {
	prefix, err := a.git(ctx, "tell where the application is", "rev-parse", "--show-prefix")
	if err != nil {
		return nil, err
	}
	out, err := a.git(ctx, "tell what is not committed", append([]string{"status", "--porcelain", "-z", "--untracked-files=all", "--no-renames", "--"}, files...)...)
	if err != nil {
		return nil, err
	}
	var names []string
	for entry := range strings.SplitSeq(out, "\x00") {
		if len(entry) > 3 {
			names = append(names, strings.TrimPrefix(entry[3:], strings.TrimSpace(prefix)))
		}
	}
	return names, nil
}

// commitLate commits the last stage of the ledger when it was to be committed and was not.
func (a *App) commitLate(ctx context.Context) (string, error) {
	records, err := a.ledger()
	if err != nil || len(records) == 0 {
		return "", err
	}
	last := records[len(records)-1]
	if last.Commit != wanted {
		return "", nil
	}
	if _, err := a.untouched(records[len(records)-1:]); err != nil {
		return "", nil // somebody went on; it is theirs to commit
	}
	doc, err := a.ReadPlan()
	if err != nil || doc.Stage(last.Stage) == nil {
		return "", nil
	}
	return last.Stage, a.Commit(ctx, *doc.Stage(last.Stage))
}

// wanted stands in the ledger for a commit that is still to be made.
const wanted = "wanted"

// Commit commits what the last stage changed, and nothing else that may be waiting in the index. The ledger then knows
// the commit.
func (a *App) Commit(ctx context.Context, stage planfile.Stage) error {
	records, err := a.ledger()
	if err != nil {
		return err
	}
	files := []string{planfile.File}
	last := -1
	if n := len(records) - 1; n >= 0 && records[n].Stage == stage.ID {
		last = n
		files = append(files, records[n].files()...)
	}
	changed, err := a.uncommitted(ctx, files...)
	if err != nil {
		return err
	}
	files = slices.DeleteFunc(files, func(name string) bool { return !slices.Contains(changed, name) })
	if len(files) == 0 {
		return nil
	}
	if _, err := a.git(ctx, "add the stage's files", append([]string{"add", "--"}, files...)...); err != nil {
		return err
	}
	if _, err := a.git(ctx, "commit the stage", append([]string{"commit", "--quiet", "-m", commitMessage(stage), "--"}, files...)...); err != nil {
		return err
	}
	if last < 0 {
		return nil
	}
	hash, err := a.git(ctx, "tell the commit", "rev-parse", "HEAD")
	if err != nil {
		return err
	}
	return a.rewriteLast(records, strings.TrimSpace(hash))
}

// CommitBack commits that stages were taken back.
func (a *App) CommitBack(ctx context.Context, back *Returned) error {
	stages := back.Stages
	changed, err := a.uncommitted(ctx, append(slices.Clone(back.Files), planfile.File)...)
	if err != nil || len(changed) == 0 {
		return err
	}
	if _, err := a.git(ctx, "add the files", append([]string{"add", "--"}, changed...)...); err != nil {
		return err
	}
	first := stages[len(stages)-1]
	message := fmt.Sprintf("back to before %s\n\nTaken back: %s.\n\n%s%s\n", first, strings.Join(stages, ", "), backTrailer, first)
	_, err = a.git(ctx, "commit the way back", append([]string{"commit", "--quiet", "-m", message, "--"}, changed...)...)
	return err
}

// The trailers of a commit's message by which Molt knows its own.
const (
	stageTrailer = "Molt-Stage: "
	backTrailer  = "Molt-Back: "
)

// commitMessage tells what moved, by how much and why.
func commitMessage(stage planfile.Stage) string {
	b := strings.Builder{}
	fmt.Fprintf(&b, "%s: %s\n", stage.ID, stage.Title)
	for i, c := range stage.Changes {
		if i == 0 {
			b.WriteString("\n")
		}
		switch {
		case c.To == nil:
			fmt.Fprintf(&b, "- %s %s goes", c.Name, c.From.Version)
		case c.From == nil:
			fmt.Fprintf(&b, "- %s comes at %s", c.Name, c.To.Version)
		default:
			fmt.Fprintf(&b, "- %s %s to %s (%s)", c.Name, c.From.Version, c.To.Version, c.Jump)
		}
		if c.Reason != "" {
			b.WriteString(": " + c.Reason)
		}
		b.WriteString("\n")
	}
	if stage.Note != "" {
		fmt.Fprintf(&b, "\n%s\n", strings.TrimSpace(stage.Note))
	}
	if stage.Lock != nil {
		fmt.Fprintf(&b, "\nIn the lock %d moved, %d added, %d removed.\n", stage.Lock.Moved, stage.Lock.Added, stage.Lock.Removed)
	}
	fmt.Fprintf(&b, "\n%s%s\n", stageTrailer, stage.ID)
	return b.String()
}

// stageCommits lists the stages that the history of the branch tells, oldest first, without those that were taken back.
// Nothing is found without git.
func (a *App) stageCommits(ctx context.Context) ([]record, error) {
	if !a.underGit(ctx) {
		return nil, ctx.Err()
	}
	if _, err := a.git(ctx, "look for commits", "rev-parse", "--quiet", "--verify", "HEAD"); err != nil {
		return nil, ctx.Err() // there are none yet
	}
	log, err := a.git(ctx, "read the history", "log", "--reverse", "--first-parent", "-z", "--format=%H %cI%n%B", "--grep=^"+stageTrailer, "--grep=^"+backTrailer)
	if err != nil {
		return nil, err
	}
	var all []record
	for entry := range strings.SplitSeq(log, "\x00") {
		head, body, _ := strings.Cut(entry, "\n")
		hash, at, ok := strings.Cut(head, " ")
		if !ok {
			continue
		}
		for line := range strings.Lines(body) {
			line = strings.TrimSpace(line)
			if id, found := strings.CutPrefix(line, backTrailer); found {
				if i := slices.IndexFunc(all, func(r record) bool { return r.Stage == id }); i >= 0 {
					all = all[:i]
				}
			}
			if id, found := strings.CutPrefix(line, stageTrailer); found {
				when, _ := time.Parse(time.RFC3339, at) // git writes it so
				all = append(all, record{Stage: id, At: when, Commit: hash})
			}
		}
	}
	for i := range all {
		if err := a.readCommit(ctx, &all[i]); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// readCommit reads what a commit did to the files of the application, but for the plan.
func (a *App) readCommit(ctx context.Context, r *record) error {
	names, err := a.git(ctx, "list a commit's files", "diff-tree", "-r", "-z", "--root", "--no-commit-id", "--name-only", "--relative", r.Commit)
	if err != nil {
		return err
	}
	r.read = map[string][2][]byte{}
	for name := range strings.SplitSeq(names, "\x00") {
		if name == "" || name == planfile.File {
			continue
		}
		r.read[name] = [2][]byte{a.fileAt(ctx, r.Commit+"^", name), a.fileAt(ctx, r.Commit, name)}
	}
	return ctx.Err()
}

// fileAt returns a file as a revision has it, nil when it has none.
func (a *App) fileAt(ctx context.Context, revision, name string) []byte {
	text, err := a.git(ctx, "read "+name, "show", revision+":./"+name)
	if err != nil {
		return nil
	}
	return []byte(text)
}

// rewriteLast puts the commit of the last record into the ledger.
func (a *App) rewriteLast(records []record, commit string) error {
	last := records[len(records)-1]
	last.Commit = commit
	t, err := a.begin("noting a commit", "commit", ledgerFile)
	if err != nil {
		return err
	}
	var kept []byte
	for _, r := range records[:len(records)-1] {
		kept = append(kept, r.line...)
	}
	err = func() error {
		if err := t.write(ledgerFile, kept); err != nil {
			return err
		}
		return a.appendLedger(t, last)
	}()
	if err != nil {
		return errors.Join(err, t.undo())
	}
	return t.commit()
}
