package cli

import (
	"io"
	"strings"

	"github.com/spf13/cobra"

	"molt/app/stages"
	"molt/ask"
	"molt/doc"
	"molt/render/md"
	"molt/render/sarif"
	"molt/render/text"
)

func (c *call) survey() command {
	var want ask.SurveyFilter
	cmd := &cobra.Command{
		Use:   "survey",
		Short: "Show where every declared package stands",
		Long: `Survey says, for every declared package, what the manifest asks for, what is locked, the newest release that the
constraint admits, the newest release of all, and how far behind that is. Filters leave out what does not matter now;
the members of a workspace are surveyed together. --since takes a revision of git, an older lock or a day, and shows
what was published after it.`,
		Example: "  molt survey\n  molt survey --jump major --group devDependencies\n  molt survey --name " +
			"'brackwater*' --as-of 2025-06-30",
		Args: cobra.NoArgs,
	}
	run := func(c *call, _ []string) error {
		if err := want.Check(); err != nil {
			return err
		}
		return c.session(ask.Needs{Dated: true}, func(s *ask.Session) error {
			d, err := s.Survey(c.ctx, want)
			return answer(c, s, d, err, (*text.Page).Survey, form[doc.Survey]{"md", md.Survey},
				form[doc.Survey]{"sarif", func(w io.Writer, d doc.Survey) error {
					return sarif.Write(w, thisVersion(), stages.InRepository(c.ctx, s.App.View, ask.LocateSurvey(s.App.View, d)))
				}})
		})
	}
	f := cmd.Flags()
	someOf(f, &want.Jump, "jump", ask.JumpWords, "only these jumps: "+strings.Join(ask.JumpWords, ", "))
	f.StringVar(&want.In, "in", "", "only what this member of the workspace declares; . for the workspace itself")
	f.StringSliceVar(&want.Group, "group", nil, "only these groups of the manifest")
	f.StringSliceVar(&want.Name, "name", nil, "only these names; * stands for anything but a slash")
	f.BoolVar(&want.Held, "held", false, "only what people keep back")
	f.BoolVar(&want.Waiting, "waiting", false, "only what waits for a decision: behind, and not kept back")
	f.StringVar(&want.Since, "since", "", "only what is new since a revision, a lock or a day")
	return command{Command: cmd, run: run, takes: asks, formats: []string{"md", "sarif"}, sides: ask.Each, words: []string{"outdated", "status", "list"},
		values: map[string]completion{"group": groupsHere, "in": membersHere, "name": declaredHere}}
}
