package ask

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"molt/app/change"
	"molt/app/config"
	"molt/app/open"
	"molt/core/project"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
)

// An InitRequest says what people know of an application.
type InitRequest struct {
	Registry string // an address, "" for what files and variables tell
	Goal     string
	Dry      bool
	// Ask asks for what nobody else knows; it may be nil, and may return "".
	Ask func(question string) string
}

// Init writes a configuration for an application that has none, from what it finds, with comments.
func Init(ctx context.Context, set Settings, r InitRequest) (doc.Init, error) {
	answer := doc.Init{Schema: "molt/init/1", File: config.File}
	sides := []string{set.Ecosystem}
	if all := open.Sides(set.Settings); all != nil {
		sides = nil
		for _, s := range all {
			sides = append(sides, s.Ecosystem.Name())
		}
	}
	var drafts []change.Draft
	var first *open.View
	var names []string // that a goal may have
	for _, side := range sides {
		one := set.Settings
		one.Ecosystem = side
		a, err := open.Open(one)
		if err != nil {
			return answer, err
		}
		if change.HasConfig(a) {
			return answer, &input.UsageError{
				Reason: fmt.Sprintf("there is a %s already; molt config shows what counts", config.File)}
		}
		if first == nil {
			first = a
		}
		drafts = append(drafts, change.NewDraft(ctx, a))
		names = append(names, a.Application().Names()...)
		for _, r := range ecosystem.Runtimes(a.Eco) {
			names = append(names, r.Name)
		}
	}
	if drafts[0].NeedsRegistry() && r.Registry == "" {
		if r.Ask != nil {
			r.Registry = r.Ask("the address of the registry that packages come from (nothing leaves it open)")
		}
		if r.Registry == "" {
			answer.Open = "where packages come from: \"registry:\" in " + config.File + " says it"
		}
	}
	if r.Registry != "" {
		if _, err := registry.ParseAddress(r.Registry); err != nil {
			return answer, &input.UsageError{Reason: "--registry: " + err.Error()}
		}
	}
	for word := range strings.FieldsSeq(r.Goal) {
		if name := project.ParseGoal(word).Name; !slices.ContainsFunc(
			names, func(n string) bool { return strings.EqualFold(n, name) }) {
			return answer, &input.UsageError{Reason: "--goal: " + project.NotAmong(name+" is not declared here", name, names)}
		}
	}
	text := change.Write(drafts, r.Registry, r.Goal)
	answer.Text = string(text)
	if r.Dry {
		answer.Next = next(call("init"), doc.WritesThis, config.File)
		return answer, nil
	}
	first, release, err := first.Take()
	if err != nil {
		return answer, err
	}
	defer release()
	if err := change.WriteConfig(first, text); err != nil {
		return answer, err
	}
	answer.Written = true
	answer.Next = next(call("survey"), doc.ShowsStanding)
	if answer.Open != "" {
		answer.Next = next(call("config"), doc.ShowsSettings, config.File)
	}
	return answer, nil
}

// Config lists every value that counts for an application, with where it comes from.
func Config(ctx context.Context, a *open.View) doc.Settings {
	answer := doc.Settings{Schema: "molt/config/1", Ecosystem: a.SideName(), Settings: []doc.Setting{}}
	for _, s := range change.SettingList(ctx, a) {
		answer.Settings = append(answer.Settings, doc.Setting(s))
	}
	return answer
}
