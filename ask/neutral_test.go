package ask_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"molt/app/open"
	"molt/ask"
	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/registered"
	"molt/input"
)

// skua is the back office's registry.
const skua = `
	marram@3.0
	marram@3.1
	marram@4.0
	tern-forms@1.0: peer:marram@like:3
	tern-forms@1.2: marram@from:3
	tern-forms@2.0: marram@like:4 bent@any
	knot-mail@1.0: marram@like:3 bent@like:1
	knot-mail@2.0: marram@like:4 bent@like:1
	bent@1.0
	bent@1.1
	dune@1.0
	dune@2.0: marram@like:4`

// A whole job on an ecosystem that has nothing of JavaScript's: where it stands, what a goal means,
// the plan, its stages, the way back, and the verification.
func TestNeutral(t *testing.T) {
	packages, err := universe.Sketch(knots{}, skua)
	if err != nil {
		t.Fatal(err)
	}
	old := registered.Ecosystems
	registered.Ecosystems = append([]ecosystem.Ecosystem{tackle{packages}}, old...)
	defer func() { registered.Ecosystems = old }()

	dir, state := t.TempDir(), t.TempDir()
	write := func(name, text string) {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	write("tackle.list", "Marram is:3.0.0\nTern_Forms like:1.0.0   # not a comment: a word too many\n")
	set := ask.Settings{Settings: open.Settings{Dir: dir, Jobs: 1, Env: func(name string) string {
		return map[string]string{"MOLT_REGISTRY_TACKLE": "http://127.0.0.1:1", "MOLT_STATE": state}[name]
	}}, Say: func(format string, args ...any) { t.Logf(format, args...) }}
	ctx := context.Background()
	var place *input.PositionError
	if _, err := ask.Open(ctx, set, ask.Needs{}); err == nil ||
		!strings.HasPrefix(err.Error(), "tackle.list:2:1: expected a name and a constraint") {
		t.Fatalf("a manifest that makes no sense: %v, %v", err, place)
	}
	write("tackle.list", "Marram is:3.0.0\nTern_Forms like:1.0.0\ndune any\n")
	write("spare.list", "KNOT.mail like:1.0.0\n")
	write("molt.yaml", "hold:\n  Dune: {reason: it drifts}\n  DUNE: {reason: it blows}\n")
	if _, err := ask.Open(ctx, set, ask.Needs{}); err == nil ||
		!strings.HasPrefix(err.Error(), "molt.yaml:2:3: \"Dune\": dune is held already") {
		t.Fatalf("two holds on one package: %v", err)
	}
	write("molt.yaml", "goal: MARRAM@4\ntrust: [DUNE]\nhold:\n  Dune: {reason: it drifts}\n")

	// in a session of its own, as in a call
	in := func(needs ask.Needs, do func(*ask.Session) error) {
		t.Helper()
		s, err := ask.Open(ctx, set, needs)
		if err != nil {
			t.Fatal(err)
		}
		defer s.Close()
		if err := do(s); err != nil {
			t.Fatal(err)
		}
	}
	said := func(got, want string) {
		t.Helper()
		if got != want {
			t.Errorf("got\n%s\nwant\n%s", got, want)
		}
	}
	in(ask.Needs{Write: true, Declared: true}, func(s *ask.Session) error {
		_, err := s.Relock(context.Background(), false, nil)
		return err
	})
	in(ask.Needs{}, func(s *ask.Session) error {
		d, err := s.Survey(context.Background(), ask.SurveyFilter{})
		all := ""
		for _, r := range d.Packages {
			all += fmt.Sprintf("%s %s %s>%s held:%v; ", r.Name, r.Declared, r.Locked, r.Newest, r.Held != "" ||
				strings.Contains(fmt.Sprint(r.Flags), "held"))
		}
		said(all, "marram is:3.0.0 3.0.0>4.0.0 held:false; tern-forms like:1.0.0 1.2.0>2.0.0 held:false; dune any "+
			"1.0.0>2.0.0 held:true; knot-mail like:1.0.0 1.0.0>2.0.0 held:false; ")
		return err
	})
	in(ask.Needs{Declared: true}, func(s *ask.Session) error {
		d, err := s.Assess(context.Background(), nil, nil, false)
		all := fmt.Sprint(d.Reachable, " ")
		for _, p := range d.Packages {
			all += fmt.Sprintf("%s %s %s; ", p.Name, p.Standing, p.To)
		}
		said(all, "true tern-forms ready ; dune silent ; knot-mail together 2.0.0; ")
		return err
	})
	lists := func() string {
		t.Helper()
		all := ""
		for _, name := range []string{"tackle.list", "spare.list"} {
			data, err := os.ReadFile(filepath.Join(dir, name))
			if err != nil {
				t.Fatal(err)
			}
			all += string(data)
		}
		return all
	}
	first := lists()
	stages := 0
	in(ask.Needs{Write: true, Declared: true}, func(s *ask.Session) error {
		d, err := s.MakePlan(context.Background(), ask.PlanRequest{Goals: []string{"Marram@4"}})
		all := ""
		for _, st := range d.Stages {
			all += st.ID
			for _, c := range st.Changes {
				all += fmt.Sprintf(" %s %s>%s", c.Name, c.From.Constraint, c.To.Constraint)
			}
			all += "; "
			stages++
		}
		said(all, "minor marram is:3.0.0>is:3.1.0; goal-4 marram is:3.1.0>is:4.0.0 knot-mail like:1.0.0>like:2.0.0; "+
			"after-tern-forms tern-forms like:1.0.0>like:2.0.0; ")
		return err
	})
	plan, err := os.ReadFile(filepath.Join(dir, "molt-plan.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	// people spell it their way
	write("molt-plan.yaml", strings.ReplaceAll(string(plan), "name: knot-mail", "name: Knot_Mail"))
	for range stages {
		in(ask.Needs{Write: true}, func(s *ask.Session) error {
			done, err := s.Step(context.Background(), ask.StepRequest{})
			if err == nil && !done.Stage.Passed {
				err = fmt.Errorf("%s did not pass", done.Stage.Stage.ID)
			}
			return err
		})
	}
	said(lists(), "Marram is:4.0.0\nTern_Forms like:2.0.0\ndune any\nKNOT.mail like:2.0.0\n")
	a, err := ask.Read(set)
	if err != nil {
		t.Fatal(err)
	}
	if d, _, err := ask.Verify(ctx, a, nil); err != nil || !d.Agrees ||
		!strings.HasPrefix(d.Unknown, "tackle.lock does not tell what its packages need") {
		t.Errorf("verify finds %+v, %v", d.Findings, err)
	}
	in(ask.Needs{}, func(s *ask.Session) error {
		d, err := s.Trace(context.Background(), "Bent")
		if err == nil && (len(d.Releases) != 1 || d.Unknown == "") {
			err = fmt.Errorf("bent is traced as %+v", d)
		}
		return err
	})
	in(ask.Needs{Write: true, Declared: true}, func(s *ask.Session) error {
		p, err := s.Want(context.Background(), []string{"BENT"}, "", "", version.OtherStyle, true)
		if err == nil && (len(p.Answer.Changes) != 1 || p.Answer.Changes[0].To.Constraint != "like:1.1.0") {
			err = fmt.Errorf("wanting bent changes %+v", p.Answer.Changes)
		}
		return err
	})
	a, release, err := ask.OpenToChange(set)
	if err != nil {
		t.Fatal(err)
	}
	defer release()
	if d, _, err := ask.Back(ctx, a, "minor", false, false); err != nil || len(d.Stages) != stages {
		t.Errorf("back took back %v, %v", d.Stages, err)
	}
	said(lists(), first)
	if _, err := ask.Lift(a, "DUNE"); err != nil {
		t.Error(err)
	}
	if text, err := os.ReadFile(filepath.Join(dir, "molt.yaml")); err != nil || strings.Contains(string(text), "Dune") {
		t.Errorf("the hold is still there: %s, %v", text, err)
	}
	if _, err := ask.Hold(a, "Dune", "it drifts", ""); err != nil {
		t.Error(err)
	}
}
