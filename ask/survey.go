package ask

import (
	"slices"
	"time"

	"molt/app"
	"molt/core/inspect"
	"molt/core/project"
	"molt/doc"
)

// NewSurvey makes the document of a survey. Only rows that are let through are shown; the lag is that of all.
func NewSurvey(a *app.App, u project.Application, rows []inspect.Row, shown func(inspect.Row) bool) doc.Survey {
	answer := doc.Survey{Schema: "molt/survey/1", Ecosystem: a.Eco.Name(), Application: a.Manifest.Name(), Locked: a.Lock != nil,
		Installed: a.Lock == nil && u.Installed != nil, Declared: len(rows), Since: day(u.Since), Packages: []doc.SurveyRow{}}
	answer.Overrides = []string{}
	for _, o := range a.Manifest.Overrides() {
		answer.Overrides = append(answer.Overrides, o.As+" "+o.Written)
	}
	for _, r := range rows {
		days := int(r.Behind / (24 * time.Hour))
		answer.Lag.Releases += r.Releases
		answer.Lag.Days += days
		if !shown(r) {
			continue
		}
		row := doc.SurveyRow{Name: r.Name, Group: r.Group, Declared: r.Declared, Locked: r.Locked, Best: r.Best, Newest: r.Newest, Jump: r.Jump,
			Releases: r.Releases, Days: days, Flags: append([]inspect.Flag{}, r.Flags...), Member: r.Member, New: append([]string{}, r.Since...)}
		if slices.Contains(r.Flags, inspect.Held) {
			row.Held, row.Reason = a.Config.Hold[r.Name].Until, a.Config.Hold[r.Name].Reason
		}
		answer.Packages = append(answer.Packages, row)
	}
	return answer
}
