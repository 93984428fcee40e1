package cli

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/ask"
	"molt/core/inspect"
	"molt/core/version"
	"molt/render/text"
)

// A sieve says which rows of a survey are wanted.
type sieve struct {
	jump, group, name []string
	held, waiting     bool
	since             string
}

func (c *call) survey() *cobra.Command {
	var want sieve
	cmd := &cobra.Command{
		Use:   "survey",
		Short: "Show where every declared package stands",
		Long: `Survey says, for every declared package, what the manifest asks for, what is locked, the newest release that the
constraint admits, the newest release of all, and how far behind that is. Filters leave out what does not matter now;
the members of a workspace are surveyed together. --since takes a revision of git, an older lock or a day, and shows
what was published after it.`,
		Example: "  molt survey\n  molt survey --jump major --group devDependencies\n  molt survey --name 'brackwater*' --as-of 2025-06-30",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			if err := want.check(); err != nil {
				return err
			}
			return c.session(occasion{dated: true}, func(s *session) error { return s.survey(want) })
		},
	}
	f := cmd.Flags()
	f.StringSliceVar(&want.jump, "jump", nil, "only these jumps: "+strings.Join(jumpWords, ", "))
	f.StringSliceVar(&want.group, "group", nil, "only these groups of the manifest")
	f.StringSliceVar(&want.name, "name", nil, "only these names; * stands for anything but a slash")
	f.BoolVar(&want.held, "held", false, "only what people keep back")
	f.BoolVar(&want.waiting, "waiting", false, "only what waits for a decision: behind, and not kept back")
	f.StringVar(&want.since, "since", "", "only what is new since a revision, a lock or a day")
	return cmd
}

// jumpWords are the jumps that a filter knows.
var jumpWords = []string{"major", "minor", "patch", "prerelease", "same"}

func (w sieve) check() error {
	for _, j := range w.jump {
		if !slices.Contains(jumpWords, j) {
			return &app.UsageError{Reason: fmt.Sprintf("--jump %q: expected some of %s", j, strings.Join(jumpWords, ", "))}
		}
	}
	for _, n := range w.name {
		if _, err := path.Match(n, ""); err != nil {
			return &app.UsageError{Reason: fmt.Sprintf("--name %q: a [ that is not closed", n)}
		}
	}
	return nil
}

// shows reports whether a row is wanted.
func (w sieve) shows(r inspect.Row) bool {
	jump := r.Jump.String()
	if r.Jump == version.Back {
		jump = "same"
	}
	named := len(w.name) == 0
	for _, n := range w.name {
		ok, _ := path.Match(n, r.Name) // it was checked
		named = named || ok
	}
	held := slices.Contains(r.Flags, inspect.Held)
	behind := r.Locked == "" || r.Newest == "" || jump != "same"
	return named && (len(w.jump) == 0 || slices.Contains(w.jump, jump)) && (len(w.group) == 0 || slices.Contains(w.group, r.Group)) &&
		(!w.held || held) && (!w.waiting || behind && !held) && (w.since == "" || len(r.Since) > 0)
}

func (s *session) survey(want sieve) error {
	groups := s.a.Manifest.Groups()
	for _, g := range want.group {
		if !slices.Contains(groups, g) {
			return &app.UsageError{Reason: fmt.Sprintf("--group %q: expected some of %s", g, strings.Join(groups, ", "))}
		}
	}
	u := s.a.Application()
	var err error
	if u.Installed, err = s.a.InstalledRoots(); err != nil {
		return err
	}
	if want.since != "" {
		if u.Since, err = s.a.Since(s.ctx, s.source, want.since); err != nil {
			return err
		}
	}
	rows, err := s.a.Survey(s.ctx, s.source, u)
	if err != nil {
		return err
	}
	s.still()
	answer := ask.NewSurvey(s.a, u, rows, want.shows)
	if err := s.show(answer, func(p *text.Page) { p.Survey(answer) }); err != nil {
		return err
	}
	for _, r := range rows {
		if slices.Contains(r.Flags, inspect.Unknown) || slices.Contains(r.Flags, inspect.Unsatisfied) {
			return errAttention
		}
	}
	return nil
}
