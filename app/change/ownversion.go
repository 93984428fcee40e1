package change

import (
	"context"
	"slices"

	"molt/app/open"
	"molt/app/planfile"
	"molt/core/fact"
	"molt/core/plan"
	"molt/core/project"
	"molt/core/version"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
	"molt/txn"
)

// An OwnVersion is what a plan means for the application's own version.
type OwnVersion struct {
	From, To string
	Jump     version.Jump
	Why      fact.Fact
	Written  bool
}

// FindOwnVersion says how the application's own version should move after the stages of a plan that
// are done; nil when the manifest has no version, or when nothing calls for a move.
func FindOwnVersion(a *open.View, file *planfile.Plan) *OwnVersion {
	text := a.Manifest.Version()
	scheme := a.Eco.Scheme()
	from, err := scheme.Parse(text)
	if err != nil {
		return nil // a version that is none, or none at all
	}
	raised := false
	var changes []project.Change
	for _, s := range file.Stages {
		if s.Status != doc.Done {
			continue
		}
		raised = raised || s.Raise != nil
		for _, c := range s.Changes {
			group := project.GroupOf(c.Group).Name
			change := project.Change{Name: c.Name, Group: group}
			if c.From != nil {
				change.From = project.Point(*c.From)
			}
			if c.To != nil {
				change.To = project.Point(*c.To)
			}
			// What several stages moved counts from where it was first to where it is now.
			if i := slices.IndexFunc(changes,
				func(x project.Change) bool { return x.Name == change.Name && x.Group == change.Group }); i >= 0 {
				changes[i].To = change.To
				continue
			}
			changes = append(changes, change)
		}
	}
	changes = slices.DeleteFunc(changes, func(c project.Change) bool { return c.From == c.To })
	jump, why := plan.OwnJump(scheme, a.Manifest.Groups()[0], raised, changes)
	if jump == version.Same {
		return nil
	}
	return &OwnVersion{From: text, To: scheme.Next(from, jump), Jump: jump, Why: why}
}

// WriteOwn writes the application's own version into the manifest of a transaction.
func WriteOwn(a *open.View, t *txn.Transaction, own *OwnVersion) error {
	texts, err := a.ManifestTexts()
	if err != nil {
		return err
	}
	m, err := ecosystem.ReadManifests(a.Eco, texts)
	if err != nil {
		return err
	}
	if err := m.SetVersion(own.To); err != nil {
		return err
	}
	own.Written = true
	return t.Write(m.Chief(), m.Contents()[m.Chief()])
}

// OwnVersionStage is the name in the ledger under which the application's own version was written.
const OwnVersionStage = "own-version"

// SetOwnVersion writes the application's own version when every stage of the plan is done, as a change of its own. The
// folder must be in use.
func SetOwnVersion(a *open.View) (*OwnVersion, error) {
	file, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	if next := file.Next(); next != nil {
		return nil, &input.UsageError{
			Reason: "stage " + next.ID + " is still to do; the application's own version comes after the last"}
	}
	records, err := a.Ledger.Here()
	if err != nil {
		return nil, err
	}
	for _, r := range records {
		if r.Stage == OwnVersionStage {
			return nil, &input.UsageError{
				Reason: "the application's own version was written already; it is " + a.Manifest.Version()}
		}
	}
	own := FindOwnVersion(a, file)
	if own == nil {
		return nil, nil
	}
	m, err := a.Manifest.Clone()
	if err != nil {
		return nil, err
	}
	if err := m.SetVersion(own.To); err != nil {
		return nil, err
	}
	own.Written = true
	return own, write(context.Background(), a, OwnVersionStage, m.Contents(), func(*open.View) error { return nil })
}
