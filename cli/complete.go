package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"molt/app/open"
	"molt/app/planfile"
	"molt/app/stages"
	"molt/ask"
	"molt/core/universe"
	"molt/doc"
	"molt/ecosystem/registered"
)

// goals are arguments such as brackwater@5.
var goals = operand{complete: goalsBegun, several: true, goal: true}

// nameKnown is one argument, the name of a declared or locked package.
func nameKnown(instead string) operand {
	return operand{complete: knownHere, bare: true, instead: instead}
}

// completed is how package cobra asks for a completion; what is behind a comma is a word of its own.
func (c *call) completed(complete completion, several bool) cobra.CompletionFunc {
	return func(cmd *cobra.Command, args []string, begun string) ([]string, cobra.ShellCompDirective) {
		const directive = cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveKeepOrder
		if !several && len(args) > 0 {
			return nil, directive
		}
		before := begun[:strings.LastIndexByte(begun, ',')+1]
		all, err := complete(c, cmd, begun[len(before):])
		if err != nil {
			return nil, directive
		}
		var fit []string
		for _, word := range all {
			if word = before + word; strings.HasPrefix(word, begun) && !slices.Contains(fit, word) {
				fit = append(fit, word)
			}
		}
		return fit, directive
	}
}

// values completes one of a list.
func values(all ...string) completion {
	return func(*call, *cobra.Command, string) ([]string, error) { return all, nil }
}

// moreFormats is the annotation of a command with its formats besides text and JSON.
const moreFormats = "formats"

// formatsOf completes the formats in which a command has its result.
func formatsOf(_ *call, cmd *cobra.Command, _ string) ([]string, error) {
	return append([]string{"text", "json"}, strings.Fields(cmd.Annotations[moreFormats])...), nil
}

// ecosystems completes the ecosystems that Molt knows.
func ecosystems(*call, *cobra.Command, string) (names []string, err error) {
	for _, e := range registered.Ecosystems {
		names = append(names, e.Name())
	}
	return names, nil
}

// here makes a completion of what an application has; of one with several ecosystems, of what each has.
func here(list func(*open.View) []string) completion {
	return func(c *call, _ *cobra.Command, _ string) (all []string, err error) {
		views, err := ask.FolderOf(c.asking()).Views()
		for _, a := range views {
			all = append(all, list(a)...)
		}
		return all, err
	}
}

func declared(a *open.View) (names []string) {
	for _, d := range a.Declared() {
		names = append(names, d.As)
	}
	return names
}

func locked(a *open.View) (names, releases []string) {
	if a.Lock == nil {
		return nil, nil
	}
	for _, p := range a.Lock.Packages {
		names = append(names, p.Name)
		releases = append(releases, p.Name+"@"+p.Version)
	}
	return names, releases
}

var (
	declaredHere = here(declared)
	knownHere    = here(func(a *open.View) []string {
		names, _ := locked(a)
		return append(declared(a), names...)
	})
	lockedHere = here(func(a *open.View) []string {
		_, releases := locked(a)
		return releases
	})
	groupsHere = here(func(a *open.View) (groups []string) {
		for _, d := range a.Declared() {
			groups = append(groups, d.Group)
		}
		slices.Sort(groups)
		return slices.Compact(groups)
	})
	membersHere = here(func(a *open.View) []string {
		folders := []string{"."}
		for _, m := range a.Manifest.Members() {
			folders = append(folders, m.Folder)
		}
		return folders
	})
	stagesToDo = here(func(a *open.View) (names []string) {
		plan, err := a.ReadPlan()
		if err != nil {
			return nil
		}
		for _, s := range plan.Stages {
			if s.Status == doc.Pending {
				names = append(names, s.ID)
			}
		}
		return names
	})
)

// stagesDone completes a stage that was carried out, the last first.
func stagesDone(c *call, cmd *cobra.Command, _ string) (all []string, err error) {
	views, err := ask.FolderOf(c.asking()).Views()
	if err != nil || len(views) == 0 {
		return nil, err
	}
	records, err := stages.CarriedOut(cmd.Context(), views[0]) // the ledger is that of all ecosystems
	for _, r := range slices.Backward(records) {
		all = append(all, r.Stage)
	}
	return all, err
}

// statesHere completes the states that have a word; files are for the shell.
func statesHere(*call, *cobra.Command, string) ([]string, error) {
	return []string{open.LockedState, open.InstalledState, planfile.File}, nil
}

// wantedHere completes names, and behind an @ the releases that the cache knows, the newest first.
func wantedHere(c *call, cmd *cobra.Command, begun string) ([]string, error) {
	return c.behindAt(cmd, begun, knownHere, func(a *open.View, p *universe.Package) (all []string) {
		for i := p.Len() - 1; i >= 0; i-- {
			all = append(all, p.Version(i).String())
		}
		return all
	})
}

// goalsBegun completes declared names, and behind an @ the majors that the cache knows, the newest first.
func goalsBegun(c *call, cmd *cobra.Command, begun string) ([]string, error) {
	return c.behindAt(cmd, begun, declaredHere, func(a *open.View, p *universe.Package) (all []string) {
		for i := p.Len() - 1; i >= 0; i-- {
			if v := p.Version(i); !v.Prerelease() {
				all = append(all, a.Eco.Scheme().Major(v))
			}
		}
		return slices.Compact(all)
	})
}

// behindAt completes a name, or what stands behind an @ from the package in the cache.
func (c *call) behindAt(cmd *cobra.Command, begun string, names completion,
	list func(*open.View, *universe.Package) []string) ([]string, error) {
	at := strings.LastIndexByte(begun, '@')
	if at <= 0 {
		return names(c, cmd, begun)
	}
	views, err := ask.FolderOf(c.asking()).Views()
	for _, a := range views {
		q, err := a.Offline().Ask(cmd.Context(), nil)
		if err != nil {
			return nil, err
		}
		defer q.Close()
		if p, err := q.Source.Package(cmd.Context(), begun[:at]); err == nil {
			var all []string
			for _, version := range list(a, p) {
				all = append(all, begun[:at+1]+version)
			}
			return all, nil
		}
	}
	return nil, err
}
