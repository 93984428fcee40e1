package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os/exec"
	"strings"
)

// A GitError reports that git did not do what was asked.
type GitError struct {
	Doing string
	Says  string
}

func (e *GitError) Error() string { return fmt.Sprintf("git could not %s: %s", e.Doing, e.Says) }

// git runs the git program in the application's folder.
func (a *App) git(ctx context.Context, doing string, args ...string) (string, error) {
	cmd := exec.CommandContext(ctx, "git", append([]string{"-C", a.Dir}, args...)...)
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
		return "", &GitError{doing, text}
	}
	return out.String(), nil
}

// committed are the files that a stage changes and that belong under version control.
func (a *App) committed() []string { return []string{a.Eco.Manifest(), a.Eco.Lock(), PlanFile} }

// Committable makes sure that a stage can be committed on its own: the folder is under git, no merge or rebase is under
// way, and manifest and lock hold nothing that is not committed. A plan that is not committed yet goes with its first stage.
func (a *App) Committable(ctx context.Context) error {
	if _, err := a.git(ctx, "find a work tree here", "rev-parse", "--is-inside-work-tree"); err != nil {
		return &UsageError{fmt.Sprintf("--commit: %v", err)}
	}
	for _, state := range []struct{ ref, what string }{{"MERGE_HEAD", "a merge"}, {"REBASE_HEAD", "a rebase"}, {"CHERRY_PICK_HEAD", "a cherry-pick"}} {
		if _, err := a.git(ctx, "look for "+state.what, "rev-parse", "--quiet", "--verify", state.ref); err == nil {
			return &UsageError{fmt.Sprintf("--commit: %s is under way; finish it first", state.what)}
		} else if ctx.Err() != nil {
			return ctx.Err()
		}
	}
	out, err := a.git(ctx, "tell what is not committed", "status", "--porcelain", "--", a.Eco.Manifest(), a.Eco.Lock())
	if err != nil {
		return err
	}
	if out != "" {
		var names []string
		for line := range strings.Lines(out) {
			names = append(names, strings.TrimSpace(line[min(3, len(line)):]))
		}
		return &UsageError{fmt.Sprintf("--commit: %s is not committed as it stands; commit or undo that first, so that the stage is a commit of its own", strings.Join(names, ", "))}
	}
	return nil
}

// Commit commits what a stage changed, and nothing else that may be waiting in the index.
func (a *App) Commit(ctx context.Context, stage StageDoc) error {
	var files []string
	for _, name := range a.committed() {
		if sum, err := a.sum(name); err != nil {
			return err
		} else if sum != "" {
			files = append(files, name)
		}
	}
	if _, err := a.git(ctx, "add the stage's files", append([]string{"add", "--"}, files...)...); err != nil {
		return err
	}
	_, err := a.git(ctx, "commit the stage", append([]string{"commit", "--quiet", "-m", commitMessage(stage), "--"}, files...)...)
	return err
}

// commitMessage tells what moved, by how much and why.
func commitMessage(stage StageDoc) string {
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
	if stage.Lock != nil {
		fmt.Fprintf(&b, "\nIn the lock %d moved, %d added, %d removed.\n", stage.Lock.Moved, stage.Lock.Added, stage.Lock.Removed)
	}
	return b.String()
}
