package change

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/app/open"
	"molt/app/vcs"
	"molt/core/plan"
	"molt/doc"
	"molt/input"
)

// offerPrefix begins the names of the branches with offers.
const offerPrefix = "molt/"

// offerTrailer is the trailer of a commit that is an offer; a branch whose last commit lacks it has
// other people's work, and is left alone.
const offerTrailer = "Molt-Offer"

// What became of an offer's branch.
const (
	offerNew     = "new"
	offerRenewed = "renewed"
	offerSame    = "as it was"
	offerGone    = "gone" // there is nothing newer left of it
	offerWorked  = "worked on"
)

// An Offered is an offer with its branch.
type Offered struct {
	plan.Offer
	Branch, Commit, State string
	Effect                *Effect
	Notes                 []string     // what change logs call breaking
	Runs                  []open.RunOf // what would run that does not now
	Unread                int          // releases of which nobody can tell that
}

// Offer puts every offer on a branch of its own, as one commit on top of the one that is checked
// out, and renews or removes the branches of earlier offers; the work tree is not touched. When it
// is dry, branches stay as they are.
func Offer(ctx context.Context, a *open.Question, dry bool) (all []Offered, waiting []plan.Waiting, err error) {
	if a.Lock == nil || !a.Application().Current() || a.Lock.Edgeless {
		return nil, nil, &input.UsageError{
			Reason: "offers go on from a lock that was made for the manifest as it stands; molt relock makes it"}
	}
	var branches []vcs.Branch
	if !dry {
		if !a.Repo.Here(ctx) || !a.Repo.HasCommit(ctx) {
			return nil, nil, &input.UsageError{
				Reason: "offers are branches of git, and this is no work tree with a commit; --dry-run shows them without"}
		}
		changed, err := a.Repo.Uncommitted(ctx, append(a.Manifest.Files(), a.LockFile())...)
		if err != nil {
			return nil, nil, err
		}
		if len(changed) > 0 {
			return nil, nil, &input.UsageError{
				Reason: fmt.Sprintf("%s holds what is not committed; offers are commits on top of the one that is checked out",
					strings.Join(changed, ", "))}
		}
		if at := a.Repo.Branch(ctx); strings.HasPrefix(at, offerPrefix) {
			return nil, nil, &input.UsageError{
				Reason: fmt.Sprintf("%s is checked out, which is an offer itself; switch to the branch that offers are for", at)}
		}
		if branches, err = a.Repo.Branches(ctx, offerPrefix); err != nil {
			return nil, nil, err
		}
	}
	offers, waiting, err := plan.Offers(ctx, a.Source, a.Application(), open.Framework(a.View))
	if err != nil {
		return nil, nil, err
	}
	left := map[string]vcs.Branch{}
	for _, b := range branches {
		left[b.Name] = b
	}
	for _, o := range offers {
		one := Offered{Offer: o, Branch: offerBranch(a.View, o.ID), State: offerNew}
		if one.Effect, err = Rehearse(ctx, a, o.Changes); err != nil {
			return nil, nil, fmt.Errorf("%s: %w", o.ID, err)
		}
		for _, c := range changeDocs(a.View, o.Changes) {
			notes, err := breakingNotes(ctx, a, c)
			if unread := (*unreadLog)(nil); err != nil && !errors.As(err, &unread) {
				return nil, nil, err
			}
			for _, n := range notes {
				if note := c.Name + " " + n; !slices.Contains(one.Notes, note) { // several members of a workspace declare it
					one.Notes = append(one.Notes, note)
				}
			}
		}
		if one.Runs, one.Unread, err = open.NewRuns(a.View, a.Lock, one.Effect.after); err != nil {
			return nil, nil, err
		}
		was, there := left[one.Branch]
		delete(left, one.Branch)
		switch {
		case dry:
		case there && !strings.Contains(was.Message, "\n"+offerTrailer+": "):
			one.State, one.Commit = offerWorked, was.Commit
		default:
			files := maps.Clone(one.Effect.files)
			maps.DeleteFunc(files, func(name string, data []byte) bool { return data == nil })
			changed := false
			if one.Commit, changed, err = a.Repo.SetBranch(ctx, was, one.Branch, offerMessage(one), files); err != nil {
				return nil, nil, err
			}
			switch {
			case !changed:
				one.State = offerSame
			case there:
				one.State = offerRenewed
			}
		}
		all = append(all, one)
	}
	for _, name := range slices.Sorted(maps.Keys(left)) {
		b := left[name]
		if !strings.Contains(b.Message, "\n"+offerTrailer+": ") || !ownOffer(a.View, name) || a.Repo.Branch(ctx) == name {
			continue
		}
		if err := a.Repo.DeleteBranch(ctx, b); err != nil {
			return nil, nil, err
		}
		all = append(all, Offered{Offer: plan.Offer{ID: strings.TrimPrefix(name, offerPrefix)}, Branch: name,
			Commit: b.Commit, State: offerGone})
	}
	return all, waiting, nil
}

// offerBranch names the branch of an offer; where the application has several ecosystems, after its own.
func offerBranch(a *open.View, id string) string {
	if side := a.SideName(); side != "" {
		return offerPrefix + side + "-" + id
	}
	return offerPrefix + id
}

// ownOffer reports whether a branch is of this side.
func ownOffer(a *open.View, name string) bool {
	side := a.SideName()
	return side == "" || strings.HasPrefix(name, offerPrefix+side+"-")
}

// offerMessage tells what moves, and what change logs call breaking.
func offerMessage(o Offered) string {
	b := &strings.Builder{}
	fmt.Fprintf(b, "%s: %s\n\n", o.ID, o.Title)
	for _, c := range o.Changes {
		fmt.Fprintf(b, "- %s %s to %s (%s)\n", c.Name, c.From.Version, c.To.Version, c.Jump)
	}
	if len(o.Notes) > 0 {
		b.WriteString("\nBreaking, by the change logs:\n")
		for _, n := range o.Notes {
			fmt.Fprintf(b, "- %s\n", n)
		}
	}
	fmt.Fprintf(b, "\nIn the lock %s.\n\n%s: %s\n", countDifferences(len(o.Effect.Differences)), offerTrailer, o.ID)
	return b.String()
}

func countDifferences(n int) string {
	if n == 1 {
		return "1 package changes"
	}
	return fmt.Sprintf("%d packages change", n)
}

// ChangeDocs writes changes for documents.
func ChangeDocs(a *open.View, changes []plan.Offer) (all [][]doc.PlanChange) {
	for _, o := range changes {
		docs := changeDocs(a, o.Changes)
		for i := range docs {
			docs[i].Jump = o.Changes[i].Jump.String()
		}
		all = append(all, docs)
	}
	return all
}
