package ask

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"molt/app/change"
	"molt/app/config"
	"molt/app/open"
	"molt/app/stages"
	"molt/core/fact"
	"molt/core/plan"
	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
)

// newChange makes the document of a change of the manifest.
func newChange(e *change.Effect, uses []change.Use, remarks []fact.Fact, written bool) doc.Change {
	answer := doc.Change{Schema: "molt/change/1", Written: written, Changes: []doc.PlanChange{},
		Lock: newCompare("", "", e.Differences).Differences, Uses: []doc.Use{},
		Remarks: append([]doc.Sentence{}, doc.Sentences(remarks)...)}
	for _, c := range e.Changes {
		edit := doc.PlanChange{Name: c.Name, Group: c.Group, From: planPoint(c.From), To: planPoint(c.To)}
		if edit.From != nil && edit.To != nil {
			edit.Jump = c.Jump.String()
		}
		answer.Changes = append(answer.Changes, edit)
	}
	for _, u := range uses {
		answer.Uses = append(answer.Uses, doc.Use(u))
	}
	return answer
}

// A Pending is a change of the manifest that was rehearsed.
type Pending struct {
	Answer doc.Change

	s      *Session
	what   string
	effect *change.Effect
}

// Write carries the change out.
func (p *Pending) Write(ctx context.Context) error {
	return change.Change(ctx, p.s.App.View, p.what, p.effect)
}

// pend rehearses changes of the manifest. They are for show when they are dry.
func (s *Session) pend(ctx context.Context, what string, changes []project.Change, remarks []fact.Fact,
	dry bool) (*Pending, error) {
	effect, err := change.Rehearse(ctx, s.App, changes)
	if err != nil {
		return nil, s.unwanted(ctx, err)
	}
	uses, err := change.UsesOf(s.App.View, effect)
	if err != nil {
		return nil, err
	}
	return &Pending{newChange(effect, uses, remarks, !dry), s, what, effect}, nil
}

// part reads what a call says of a member and a group, either of which may be "" for all.
func (s *Session) part(member, group string) (ecosystem.Part, error) {
	if groups := s.App.Manifest.Groups(); group != "" && !slices.Contains(groups, group) &&
		!s.App.Manifest.MayHave(group) {
		return ecosystem.Part{}, &input.UsageError{
			Reason: fmt.Sprintf("--group %q: expected %s", group, strings.Join(groups, ", "))}
	}
	folder, err := open.Member(s.App.View, member)
	return ecosystem.Part{In: folder, Group: group}, err
}

// groupFor returns the group in which a name is to be declared: where a part of the manifest has it
// already, else the part's usual group; "" leaves that to the whole manifest.
func (s *Session) groupFor(name string, where ecosystem.Part) string {
	if where == (ecosystem.Part{}) {
		return ""
	}
	for _, e := range s.App.Manifest.Entries() {
		if project.OwnName(e.As) == name && where.Has(e.Group) {
			return e.Group
		}
	}
	if where.Group == "" {
		where.Group = s.App.Manifest.Groups()[0]
	}
	return project.Group{Member: strings.TrimPrefix(where.In, "."), Name: where.Group}.String()
}

// Want declares packages, each written NAME or NAME@CONSTRAINT, or changes how they are declared.
// The member of a workspace, the group and the style may be "" for the usual ones.
func (s *Session) Want(ctx context.Context, packages []string, member, group string, style version.Style,
	dry bool) (*Pending, error) {
	where, err := s.part(member, group)
	if err != nil {
		return nil, err
	}
	var wanted []plan.Wanted
	for _, arg := range packages {
		g := project.ParseGoal(arg)
		g.Name = s.name(g.Name)
		if g.Name == "" || strings.ContainsAny(g.Name, " \t") ||
			slices.ContainsFunc(wanted, func(w plan.Wanted) bool { return w.Name == g.Name }) {
			return nil, &input.UsageError{
				Reason: fmt.Sprintf("%q: expected names of packages, each once, such as keel or keel@^2", arg)}
		}
		if g.Name, err = s.declaredWith(g.Name, where); err != nil {
			return nil, err
		}
		wanted = append(wanted, plan.Wanted{Name: g.Name, Group: s.groupFor(g.Name, where), Constraint: g.Constraint})
	}
	application := s.App.Application()
	application.InferredRuntimes, application.InferredFrom = open.InferRuntimes(ctx, s.App.View)
	if application.Declared, err = open.DeclaredWith(s.App.View, wanted); err != nil {
		return nil, err
	}
	got, err := plan.Want(ctx, s.App.Source, application, wanted, s.App.Manifest.Groups()[0], style)
	if err != nil {
		return nil, s.unwanted(ctx, err)
	}
	open.FromHere(s.App.View, got.Changes)
	for _, w := range wanted {
		if slices.Contains(s.App.Application().Held, w.Name) {
			got.Short = append(got.Short, fact.New(doc.HoldStays, w.Name, s.App.Config.Hold[w.Name].Reason))
		}
	}
	return s.pend(ctx, "want", got.Changes, got.Short, dry)
}

// declaredWith returns the package itself for one with extras that its line in a part of the
// manifest asks for already. To ask for more of them in a line that is there is an error.
func (s *Session) declaredWith(name string, where ecosystem.Part) (string, error) {
	of := universe.NameOf(name)
	base, extras := of.Base(), of.Extra
	if extras == "" {
		return name, nil
	}
	for _, e := range s.App.Manifest.Entries() {
		if project.OwnName(e.As) != base || !where.Has(e.Group) {
			continue
		}
		has := strings.FieldsFunc(e.Extras, func(r rune) bool { return r == ',' })
		all := slices.Clone(has)
		for extra := range strings.SplitSeq(extras, ",") {
			if extra = strings.TrimSpace(extra); !slices.Contains(all, extra) {
				all = append(all, extra)
			}
		}
		if more := all[len(has):]; len(more) > 0 {
			return "", &input.UsageError{Reason: fmt.Sprintf(
				"%s is declared without %s in %s:%d; write it there as %s, and run molt relock",
				base, strings.Join(more, ","), s.App.Manifest.FileOf(e.Group), e.Line,
				universe.NameOf(base).With(strings.Join(all, ",")))}
		}
		return base, nil
	}
	return name, nil
}

// Drop takes packages out of the manifest, or out of one member or group of it.
func (s *Session) Drop(ctx context.Context, packages []string, member, group string, dry bool) (*Pending, error) {
	where, err := s.part(member, group)
	if err != nil {
		return nil, err
	}
	changes, err := change.Drop(s.App.View, s.names(packages), where)
	if err != nil {
		return nil, err
	}
	return s.pend(ctx, "drop", changes, nil, dry)
}

// BackPackage returns one package to the release that it had before.
func (s *Session) BackPackage(ctx context.Context, name string) (*Pending, error) {
	name = s.name(name)
	changes, err := stages.ChangesBack(ctx, s.App.View, name)
	if err != nil {
		return nil, err
	}
	return s.pend(ctx, "back-"+name, changes, nil, false)
}

// Lift ends a hold.
func Lift(a *open.View, name string) (doc.Hold, error) {
	name = a.Canonical(name)
	return doc.Hold{Schema: "molt/hold/1", Name: name}, change.Release(a, name)
}

// Hold keeps a package back, until a day such as 2027-01-31, or without end.
func Hold(a *open.View, name, reason, until string) (doc.Hold, error) {
	name = a.Canonical(name)
	var names []string
	for _, d := range a.Declared() {
		names = append(names, project.OwnName(d.As))
	}
	last, badDate := time.Parse(time.DateOnly, until)
	says := ""
	switch {
	case !slices.Contains(names, name):
		says = project.NotAmong(name+" is not declared", name, names)
	case reason == "":
		says = "a hold needs a reason: --reason TEXT"
	case until != "" && badDate != nil:
		says = fmt.Sprintf("--until %q: expected a date such as 2027-01-31", until)
	case until != "" && time.Now().After(last.AddDate(0, 0, 1)):
		says = fmt.Sprintf("--until %s: that day has passed", until)
	}
	if says != "" {
		return doc.Hold{}, &input.UsageError{Reason: says}
	}
	err := change.Hold(a, name, config.Hold{Reason: reason, Until: until})
	return doc.Hold{Schema: "molt/hold/1", Name: name, Keeping: doc.Keeping{Held: true, Reason: reason, Until: until}}, err
}
