package ask

import (
	"slices"

	"molt/app/config"
	"molt/app/open"
	"molt/core/fact"
	"molt/core/inspect"
	"molt/core/project"
	"molt/core/version"
	"molt/doc"
)

// locate puts something at the line of a declaration, else at the manifest.
func locate(a *open.View, group, name string, l doc.Located) doc.Located {
	l.File = a.Manifest.Chief()
	for _, e := range a.Manifest.Entries() {
		if (e.As == name || project.OwnName(e.As) == name) && e.Group == group {
			l.File, l.Line, l.Column = e.File, e.Line, e.Column
			break
		}
	}
	return l
}

// LocateSurvey lists what a survey says of lines of the manifest.
func LocateSurvey(a *open.View, d doc.Survey) (all []doc.Located) {
	for _, r := range d.Packages {
		note := func(rule, level string, says fact.Kind, of ...any) {
			all = append(all, locate(a, project.Group{Member: r.Member, Name: r.Group}.String(), r.Name,
				doc.Located{Rule: rule, Level: level, Says: fact.New(says, of...)}))
		}
		switch {
		case slices.Contains(r.Flags, inspect.Unknown):
			note("unresolved", "error", doc.NoSuchPackage, r.Name)
		case slices.Contains(r.Flags, inspect.Unsatisfied):
			note("unresolved", "error", doc.NothingFits, r.Name, r.Declared)
		case r.Jump == version.Major:
			note("behind", "note", doc.IsBehind, r.Name, r.Locked, r.Newest)
		}
		if slices.Contains(r.Flags, inspect.Retiring) {
			note("retiring", "warning", doc.IsRetiring, r.Name)
		}
	}
	return all
}

// LocateAssess lists what an assessment says of lines of the manifest.
func LocateAssess(a *open.View, d doc.Assess) (all []doc.Located) {
	goal := d.Goal.Name + " " + d.Goal.Constraint
	for _, p := range d.Packages {
		l := doc.Located{}
		switch p.Standing {
		case project.Blocked:
			l = doc.Located{Rule: "blocked", Level: "error", Says: project.Blocks(p.Name, goal, p.Held)}
		case project.Together:
			l = doc.Located{Rule: "together", Level: "note",
				Says: fact.New(doc.MovesWith, p.Name, p.To, goal)}
		case project.Retires:
			l = doc.Located{Rule: "retiring", Level: "warning", Says: fact.New(doc.RetiresAs, p.Name, p.Retires)}
		default:
			continue
		}
		if len(p.Evidence) > 0 {
			l.Says = fact.New(doc.SaidBecause, l.Says, p.Evidence[0].Says.Fact)
		}
		all = append(all, locate(a, p.Group, p.Name, l))
	}
	for _, r := range d.Runtime {
		if !r.Met && r.Deployed != "" {
			all = append(all, doc.Located{
				Rule: "runtime", Level: "error", File: config.File,
				Says: fact.New(project.NeedsRuntime, r.By, r.Name, r.Needs, r.Deployed)})
		}
	}
	return all
}

// LocateVerify lists the findings of a verification. What is not about a line is about the lock.
func LocateVerify(a *open.View, found []open.Finding) (all []doc.Located) {
	for _, f := range found {
		l := doc.Located{Rule: f.About, Level: "error", Says: f.Says, File: a.LockFile()}
		if f.File != "" {
			l.File, l.Line, l.Column = f.File, f.Line, f.Column
		}
		all = append(all, l)
	}
	return all
}
