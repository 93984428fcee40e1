package stages

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"molt/app/config"
	"molt/app/ledger"
	"molt/app/open"
	"molt/app/planfile"
	"molt/core/project"
	"molt/doc"
	"molt/input"
	"molt/txn"
)

// onBranch makes sure that the work tree is on the branch of the plan.
func onBranch(ctx context.Context, a *open.View, file *planfile.Plan) error {
	if file.Branch == "" {
		return nil
	}
	switch now := a.Repo.Branch(ctx); now {
	case file.Branch:
		return nil
	case "":
		return file.Text.ErrorAt("$.branch",
			fmt.Sprintf("the plan is for the branch %s, and none is checked out here", file.Branch))
	default:
		return file.Text.ErrorAt("$.branch",
			fmt.Sprintf("the plan is for the branch %s, and %s is checked out; switch to it, or change this line", file.Branch,
				now))
	}
}

// Committable makes sure that a stage can be committed on its own: the folder is under git, no merge or rebase is under
// way, and manifest and lock hold nothing that is not committed. A plan that is not committed yet goes with its first
// stage. A stage that was carried out and not committed, since something came between, is committed now; its name is
// returned.
func Committable(ctx context.Context, a *open.View) (late string, err error) {
	if !a.Repo.Here(ctx) {
		if err := ctx.Err(); err != nil {
			return "", err
		}
		return "", &input.UsageError{Reason: "--commit: there is no work tree of git here"}
	}
	if what, err := a.Repo.UnderWay(ctx); err != nil {
		return "", err
	} else if what != "" {
		return "", &input.UsageError{Reason: fmt.Sprintf("--commit: %s is under way; finish it first", what)}
	}
	if late, err = commitLate(ctx, a); err != nil {
		return late, err
	}
	names, err := a.Repo.Uncommitted(ctx, append(a.Manifest.Files(), a.LockFile())...)
	if err != nil {
		return late, err
	}
	if names != nil {
		return late, &input.UsageError{
			Reason: fmt.Sprintf("--commit: %s is not committed as it stands; commit or undo that first, so that the stage is "+
				"a commit of its own", strings.Join(names, ", "))}
	}
	return late, nil
}

// SourceEdits lists the files that were edited for the next stage since it was first tried, which
// its commit takes: its checks run with them. What was edited before is none of the stage's
// business, and is an *input.UsageError: the commit would not hold it, and fail its own checks. The
// configuration goes along in either case, since the plan depends on it.
func SourceEdits(ctx context.Context, a *open.View) ([]string, error) {
	file, err := a.ReadPlan()
	if err != nil {
		return nil, nil // the step says what is wrong with it
	}
	stage := file.Next()
	if stage == nil || len(checksOf(a, stage.Kind))+len(tasksOf(a, stage.Changes)) == 0 {
		return nil, nil // nothing is judged, so nothing else is part of it
	}
	edited, err := a.Repo.Uncommitted(ctx, ".")
	if err != nil {
		return nil, err
	}
	own := []string{planfile.File}
	for _, e := range a.Ecosystems() {
		side := a
		if e.Name() != a.Eco.Name() {
			if side, err = open.OpenSide(a, e); err != nil {
				return nil, err
			}
		}
		own = append(append(own, side.Manifest.Files()...), side.LockFile())
	}
	edited = slices.DeleteFunc(edited, func(name string) bool { return slices.Contains(own, name) })
	c, err := a.Runner().Remembered()
	if err != nil {
		return nil, err
	}
	if before := slices.DeleteFunc(
		slices.Clone(edited), func(name string) bool { return name == config.File }); c.Begun != stage.ID && len(before) > 0 {
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("--commit: %s is not committed as it stands, and the checks of %s would run with it: commit "+
				"it, or put it away", strings.Join(before[:min(mostListed, len(before))], ", "), stage.ID)}
	}
	return edited, a.Runner().RememberBegun(stage.ID)
}

// commitLate commits the last stage of the ledger when it was to be committed and was not.
func commitLate(ctx context.Context, a *open.View) (string, error) {
	records, err := a.Ledger.Here()
	if err != nil || len(records) == 0 {
		return "", err
	}
	last := records[len(records)-1]
	if last.Commit != ledger.Wanted {
		return "", nil
	}
	if _, err := a.Ledger.Untouched(records[len(records)-1:]); err != nil {
		return "", nil // somebody went on; it is theirs to commit
	}
	file, err := a.ReadPlan()
	if err != nil || file.Stage(last.Stage) == nil {
		return "", nil
	}
	return last.Stage, Commit(ctx, a, *file.Stage(last.Stage), nil)
}

// Commit commits what the last stage changed, with some files that were edited for it, and nothing
// else that may be waiting in the index. The ledger then knows the commit.
func Commit(ctx context.Context, a *open.View, stage doc.PlanStage, edits []string) error {
	records, err := a.Ledger.Here()
	if err != nil {
		return err
	}
	files := append([]string{planfile.File}, edits...)
	last := -1
	if n := len(records) - 1; n >= 0 && records[n].Stage == stage.ID {
		last = n
		files = append(files, records[n].Files()...)
	}
	changed, err := a.Repo.Uncommitted(ctx, files...)
	if err != nil {
		return err
	}
	files = slices.DeleteFunc(files, func(name string) bool { return !slices.Contains(changed, name) })
	if len(files) == 0 {
		return nil
	}
	if err := open.Consent(ctx, a, true); err != nil {
		return err
	}
	hash, err := a.Repo.Commit(ctx, "the stage", commitMessage(stage, ranWithLock(a)), files, true)
	if err != nil || last < 0 {
		return err
	}
	return a.Ledger.SetLastCommit(records, hash)
}

// CommitBack commits that stages were taken back.
func CommitBack(ctx context.Context, a *open.View, back *Returned) error {
	stages := back.Stages
	changed, err := a.Repo.Uncommitted(ctx, append(slices.Clone(back.Files), planfile.File)...)
	if err != nil || len(changed) == 0 {
		return err
	}
	first := stages[len(stages)-1]
	message := fmt.Sprintf("back to before %s\n\nTaken back: %s.\n\n%s: %s\n", first, strings.Join(stages, ", "),
		ledger.BackTrailer, first)
	_, err = a.Repo.Commit(ctx, "the way back", message, changed, false)
	return err
}

// commitMessage tells what moved, by how much and why.
// ranWithLock reports whether the application's checks passed with what the lock says.
func ranWithLock(a *open.View) bool {
	text, err := a.Files.Content(a.LockFile())
	if err != nil || text == nil {
		return false
	}
	sum := txn.Sum(text)
	return slices.ContainsFunc(a.Application().Ran, func(r project.Passed) bool { return r.Lock == sum })
}

func commitMessage(stage doc.PlanStage, ran bool) string {
	b := strings.Builder{}
	fmt.Fprintf(&b, "%s: %s\n", stage.ID, stage.Title.Words)
	for i, c := range stage.Changes {
		if i == 0 {
			b.WriteString("\n")
		}
		switch {
		case c.To == nil:
			fmt.Fprintf(&b, "- %s %s is removed", c.Name, c.From.Version)
		case c.From == nil:
			fmt.Fprintf(&b, "- %s is added at %s", c.Name, c.To.Version)
		default:
			fmt.Fprintf(&b, "- %s %s to %s (%s)", c.Name, c.From.Version, c.To.Version, c.Jump)
		}
		if c.Reason.Words != "" {
			b.WriteString(": " + c.Reason.Words)
		}
		b.WriteString("\n")
	}
	if stage.Note != "" {
		fmt.Fprintf(&b, "\n%s\n", strings.TrimSpace(stage.Note))
	}
	if stage.Locked != nil {
		fmt.Fprintf(&b, "\nIn the lock %d moved, %d added, %d removed.\n", stage.Locked.Moved, stage.Locked.Added,
			stage.Locked.Removed)
	}
	if ran && len(stage.Changes) > 0 {
		b.WriteString("\nThe application's checks passed with these packages.\n")
	}
	fmt.Fprintf(&b, "\n%s: %s\n", ledger.StageTrailer, stage.ID)
	return b.String()
}

// NewBranch makes a branch and checks it out; the files stay as they are.
func NewBranch(ctx context.Context, a *open.View, name string) error {
	return a.Repo.NewBranch(ctx, name)
}

// InRepository gives findings the names of their files from the top of the repository, as reviews
// have them; outside of one they stay.
func InRepository(ctx context.Context, a *open.View, all []doc.Located) []doc.Located {
	prefix, err := a.Repo.Prefix(ctx)
	if err != nil {
		return all
	}
	for i := range all {
		all[i].File = prefix + all[i].File
	}
	return all
}
