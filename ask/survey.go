package ask

import (
	"context"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"molt/app/open"
	"molt/core/inspect"
	"molt/core/project"
	"molt/core/version"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
)

// newSurvey makes the document of a survey. Only rows that are let through are shown; the lag is that of all.
func newSurvey(a *open.View, u project.Application, rows []inspect.Row, shown func(inspect.Row) bool) doc.Survey {
	answer := doc.Survey{Schema: "molt/survey/1", Ecosystem: a.Eco.Name(), Application: a.Manifest.Name(),
		Locked:    a.Lock != nil,
		Installed: a.Lock == nil && u.Installed != nil, Declared: len(rows), Since: day(u.Since), Packages: []doc.SurveyRow{}}
	answer.Overrides = []string{}
	for _, o := range a.Manifest.Overrides() {
		answer.Overrides = append(answer.Overrides, o.Key()+" "+o.Written)
	}
	counted := map[[2]string]bool{}
	for _, r := range rows {
		days := int(r.Behind / (24 * time.Hour))
		if key := [2]string{r.Name, r.Locked}; !counted[key] { // several members of a workspace may declare it
			counted[key] = true
			answer.Lag.Releases += r.Releases
			answer.Lag.Days += days
		}
		if !shown(r) {
			continue
		}
		row := doc.SurveyRow{Name: r.Name, Group: r.Group, Declared: r.Declared, Locked: r.Locked, Best: r.Best,
			Newest: r.Newest, Jump: r.Jump,
			Releases: r.Releases, Days: days, Flags: append([]inspect.Flag{}, r.Flags...), Member: r.Member,
			New: append([]string{}, r.Since...)}
		if r.Excluded != nil {
			row.Excluded = &doc.Excluded{Version: r.Excluded.Release, Why: doc.SentenceOf(r.Excluded.Why)}
		}
		if slices.Contains(r.Flags, inspect.Held) {
			row.Held, row.Reason = a.Config.Hold[r.Name].Until, a.Config.Hold[r.Name].Reason
		}
		answer.Packages = append(answer.Packages, row)
	}
	if len(answer.Packages) == answer.Declared { // somebody who looks for one thing goes on by himself
		answer.Next = nextOfSurvey(a, rows)
	}
	return answer
}

// JumpWords are the jumps that a SurveyFilter knows.
var JumpWords = []string{"major", "minor", "patch", "prerelease", "same"}

// A SurveyFilter says which rows of a survey are wanted. The zero SurveyFilter wants all.
type SurveyFilter struct {
	Jump, Group, Name []string // some of each; jumps are JumpWords; names may hold * for anything but a slash
	In                string   // only what a member of the workspace declares; . for the workspace itself
	Held, Waiting     bool     // only what people keep back; only what is behind and not kept back
	Since             string   // only what is new since a revision, a lock or a day
}

// Check is an *input.UsageError when a name of the filter is no pattern.
func (w SurveyFilter) Check() error {
	for _, n := range w.Name {
		if _, err := path.Match(n, ""); err != nil {
			return &input.UsageError{Reason: fmt.Sprintf("--name %q: a [ that is not closed", n)}
		}
	}
	return nil
}

// shows reports whether a row is wanted.
func (w SurveyFilter) shows(r inspect.Row) bool {
	jump := r.Jump.String()
	if r.Jump == version.Back {
		jump = "same"
	}
	named := len(w.Name) == 0
	for _, n := range w.Name {
		ok, _ := path.Match(n, r.Name) // it was checked
		named = named || ok
	}
	held := slices.Contains(r.Flags, inspect.Held)
	behind := r.Locked == "" || r.Newest == "" || jump != "same"
	return named && (len(w.Jump) == 0 || slices.Contains(w.Jump, jump)) &&
		(len(w.Group) == 0 || slices.Contains(w.Group, r.Group)) &&
		(ecosystem.Part{In: w.In}).Has(project.Group{Member: r.Member, Name: r.Group}.String()) && (!w.Held || held) &&
		(!w.Waiting || behind && !held) && (w.Since == "" || len(r.Since) > 0)
}

// Survey says where every declared package stands.
func (s *Session) Survey(ctx context.Context, want SurveyFilter) (doc.Survey, error) {
	if err := want.Check(); err != nil {
		return doc.Survey{}, err
	}
	groups := s.App.Manifest.Groups()
	for _, g := range want.Group {
		if !slices.Contains(groups, g) {
			return doc.Survey{}, &input.UsageError{
				Reason: fmt.Sprintf("--group %q: expected some of %s", g, strings.Join(groups, ", "))}
		}
	}
	var declared []string
	for _, e := range s.App.Manifest.Entries() {
		declared = append(declared, project.OwnName(e.As))
	}
	for _, pattern := range want.Name {
		if !slices.ContainsFunc(declared, func(name string) bool { ok, _ := path.Match(pattern, name); return ok }) {
			return doc.Survey{}, &input.UsageError{
				Reason: "--name: " + project.NotAmong(pattern+" is not declared here", pattern, declared)}
		}
	}
	var err error
	if want.In, err = open.Member(s.App.View, want.In); err != nil {
		return doc.Survey{}, err
	}
	s.App = s.App.WithRuntimes(ctx)
	u := s.App.Application()
	if u.Installed, err = open.InstalledRoots(s.App.View); err != nil {
		return doc.Survey{}, err
	}
	if want.Since != "" {
		if u.Since, err = s.App.Since(ctx, want.Since); err != nil {
			return doc.Survey{}, err
		}
	}
	settling, err := s.settling(ctx)
	if err != nil {
		return doc.Survey{}, err
	}
	rows, err := s.App.Survey(ctx, u)
	var untried *inspect.UntriedError
	if errors.As(err, &untried) {
		s.say("note: %s", input.InWords(untried))
	} else if err != nil {
		return doc.Survey{}, err
	}
	answer := newSurvey(s.App.View, u, rows, want.shows)
	answer.Settling = settling
	for _, r := range rows {
		answer.Amiss = answer.Amiss || slices.Contains(r.Flags, inspect.Unknown) && !r.Optional ||
			slices.Contains(r.Flags, inspect.Unsatisfied)
	}
	return answer, nil
}
