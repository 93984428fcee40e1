package stages

import (
	"io"
	"regexp"
	"slices"
	"strings"

	"molt/app/open"
	"molt/app/planfile"
	"molt/app/run"
	"molt/doc"
)

// A LaterMove is a package that the output of a failed check names and that a later stage moves.
type LaterMove struct{ Name, Stage string }

// mostOfLog is how much of the end of a log is searched for names, in bytes.
const mostOfLog = 1 << 20

// named lists the packages that later stages move and the output of failed checks names.
func named(a *open.View, file *planfile.Plan, stage *doc.PlanStage, verdicts []run.Verdict) (all []LaterMove) {
	var said strings.Builder
	for _, v := range verdicts {
		if v.Passed || v.Before || v.Log == "" {
			continue
		}
		at, err := a.Files.Find(v.Log)
		if err != nil { // it only helps
			continue
		}
		f, err := at.Root.Open(at.Name)
		if err != nil {
			continue
		}
		if info, err := f.Stat(); err == nil && info.Size() > mostOfLog {
			_, _ = f.Seek(-mostOfLog, io.SeekEnd)
		}
		_, _ = io.Copy(&said, io.LimitReader(f, mostOfLog))
		f.Close()
	}
	if said.Len() == 0 {
		return nil
	}
	here := planfile.NamesOf(stage)
	for i := file.Index(stage.ID) + 1; i < len(file.Stages); i++ {
		s := &file.Stages[i]
		for _, name := range planfile.NamesOf(s) {
			if s.Status == doc.Pending && !slices.Contains(here, name) && names(said.String(), name) &&
				!slices.ContainsFunc(all, func(n LaterMove) bool { return n.Name == name }) {
				all = append(all, LaterMove{name, s.ID})
			}
		}
	}
	return all
}

// names reports whether a text has the name of a package as a word, or as what is imported of it. Short names are words
// of any text.
func names(text, name string) bool {
	if len(name) < 4 {
		return false
	}
	pattern := strings.ReplaceAll(regexp.QuoteMeta(name), "-", "[-_]")
	if !strings.HasPrefix(name, "@") { // and not the one of that name in a scope
		pattern = `(@[\w.-]+/)?` + pattern
	}
	word, err := regexp.Compile(`(?:^|[^\w@-])(` + pattern + `)(?:$|[^\w-])`)
	return err == nil && slices.ContainsFunc(word.FindAllStringSubmatch(text, -1), func(m []string) bool {
		return strings.HasPrefix(m[1], "@") == strings.HasPrefix(name, "@")
	})
}
