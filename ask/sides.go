package ask

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"molt/app/open"
	"molt/app/stages"
	"molt/input"
)

// A folder may declare packages of several ecosystems, each of which is a side of the application (open.Side). A question
// is about all of them, or about those that its arguments name, and what it changes on them comes about on all or on none.

// A Part is what a question is about on one side.
type Part struct {
	Settings Settings // that open the side
	Side     string   // its ecosystem; "" where the folder has one
	Args     []string
}

// A Finder says which parts a question with some arguments has.
type Finder func(f *Folder, args []string) ([]Part, error)

// A Folder is an application with its sides.
type Folder struct {
	set   Settings
	sides []open.Side // nil where there is one
}

// FolderOf looks at what is in a folder.
func FolderOf(set Settings) *Folder { return &Folder{set, open.Sides(set.Settings)} }

// Parts returns the parts of a question, which is one where the folder has one ecosystem, or the call or the configuration
// says which is meant.
func (f *Folder) Parts(find Finder, args []string) ([]Part, error) {
	if f.sides == nil {
		return []Part{{f.set, "", args}}, nil
	}
	return find(f, args)
}

// Views opens each side.
func (f *Folder) Views() (all []*open.View, err error) {
	parts, err := f.Parts(Each, nil)
	for _, p := range parts {
		a, err := open.Open(p.Settings.Settings)
		if err != nil {
			return nil, err
		}
		all = append(all, a)
	}
	return all, err
}

func (f *Folder) part(s open.Side, args []string) Part {
	p := Part{f.set, s.Ecosystem.Name(), args}
	p.Settings.Ecosystem = p.Side
	return p
}

// first is about the first side, which says what is missing where no side has what is asked for.
func (f *Folder) first(args []string) []Part { return []Part{f.part(f.sides[0], args)} }

// names lists the sides, for errors.
func (f *Folder) names() string {
	var names []string
	for _, s := range f.sides {
		names = append(names, s.Ecosystem.Name())
	}
	return strings.Join(names, " and of ")
}

// of returns the side of a name: the one that declares it, else one that has it locked. The second result is false for none.
func (f *Folder) of(name string) (open.Side, bool) {
	for _, s := range f.sides {
		if s.Declares(name) {
			return s, true
		}
	}
	for _, s := range f.sides {
		a, err := open.Open(f.part(s, nil).Settings.Settings)
		if err == nil && a.Lock != nil && len(a.Lock.Resolution().Versions()[a.Canonical(name)]) > 0 {
			return s, true
		}
	}
	return open.Side{}, false
}

// Each is about all sides.
func Each(f *Folder, args []string) (all []Part, err error) {
	for _, s := range f.sides {
		all = append(all, f.part(s, args))
	}
	return all, nil
}

// Named is about the sides that declare, or have locked, what the arguments name, and about all without any.
func Named(f *Folder, args []string) (all []Part, err error) {
	if len(args) == 0 {
		return Each(f, args)
	}
	for _, arg := range args {
		name, _, _ := strings.Cut(arg[min(1, len(arg)):], "@") // a name may begin with one
		if name = arg[:min(1, len(arg))] + name; strings.ContainsAny(name, "[<>=!~") {
			name = name[:strings.IndexAny(name, "[<>=!~")]
		}
		side, there := f.of(name)
		if !there {
			return nil, &input.UsageError{
				Reason: fmt.Sprintf("%s is neither declared nor locked here, and the folder has packages of %s; --ecosystem says "+
					"of which it is one", name, f.names())}
		}
		i := slices.IndexFunc(all, func(p Part) bool { return p.Side == side.Ecosystem.Name() })
		if i < 0 {
			i, all = len(all), append(all, f.part(side, nil))
		}
		all[i].Args = append(all[i].Args, arg)
	}
	return all, nil
}

// Of is about the side of one name, and about the first without any; the arguments are the question's.
func Of(name *string) Finder {
	return func(f *Folder, args []string) ([]Part, error) {
		if *name == "" {
			return f.first(args), nil
		}
		all, err := Named(f, []string{*name})
		if err != nil {
			return nil, err
		}
		all[0].Args = args
		return all, nil
	}
}

// WithStage is about the side whose plan has a stage.
func WithStage(stage string) Finder {
	return func(f *Folder, args []string) ([]Part, error) {
		for _, s := range f.sides {
			p := f.part(s, args)
			a, err := open.Open(p.Settings.Settings)
			if err != nil {
				return nil, err
			}
			if _, _, there := open.SideOfPlan(a, stage); there {
				return []Part{p}, nil
			}
		}
		return f.first(args), nil
	}
}

// Single is about one side, which the call has to name.
func Single(what string) Finder {
	return func(f *Folder, _ []string) ([]Part, error) {
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("molt %s is about one ecosystem, and the folder has packages of %s; --ecosystem says of which",
				what, f.names())}
	}
}

// Planned is about the sides of the goals, in the call or in the configuration; about those with a plan where that is
// looked at again.
func Planned(f *Folder, args []string) (all []Part, err error) {
	if len(args) > 0 {
		return Named(f, args)
	}
	for _, s := range f.sides {
		p := f.part(s, nil)
		a, err := open.Open(p.Settings.Settings)
		if err != nil {
			return nil, err
		}
		if _, _, there := open.SideOfPlan(a, ""); there || stages.HasGoal(a) {
			all = append(all, p)
		}
	}
	if all == nil {
		return f.first(args), nil
	}
	return all, nil
}

// Staged is about the sides that have a stage to do, first those whose goal is not reached yet; about the first of them
// unless all stages are meant.
func Staged(every *bool) Finder {
	return func(f *Folder, args []string) ([]Part, error) {
		stage := ""
		if len(args) > 0 {
			stage = args[0]
		}
		var before, after []Part
		for _, s := range f.sides {
			p := f.part(s, args)
			a, err := open.Open(p.Settings.Settings)
			if err != nil {
				return nil, err
			}
			switch left, toGoal, ok := open.SideOfPlan(a, stage); {
			case !ok || left == 0 && stage == "":
			case stage != "", toGoal > 0:
				before = append(before, p)
			default:
				after = append(after, p)
			}
		}
		switch {
		case before == nil && after == nil:
			return f.first(args), nil
		case before == nil:
			before = after
		}
		if !*every {
			before = before[:1]
		}
		return before, nil
	}
}

// Over does something for every part, in order, until one fails.
func Over(parts []Part, do func(Part) error) error {
	for _, p := range parts {
		if err := do(p); err != nil {
			return err
		}
	}
	return nil
}

// A TakenBackError is the error of a change on one side, for which what was done on the others was taken back.
type TakenBackError struct{ Err error }

func (e *TakenBackError) Error() string { return e.Err.Error() }

// Unwrap returns the error of the side.
func (e *TakenBackError) Unwrap() error { return e.Err }

// Whole is Over for changes that come about on all sides or on none, also where Molt is ended in between. Where they can
// be rehearsed, that comes first, so that nothing is written where one fails. The error is a *TakenBackError where
// something was.
func Whole(set Settings, what string, parts []Part, rehearse, do func(Part) error) error {
	if rehearse != nil {
		if err := Over(parts, rehearse); err != nil {
			return err
		}
	}
	span, says, err := open.BeginSpan(set.Settings, what)
	if err != nil {
		return err
	}
	if says != "" {
		set.Say("repaired: %s", says)
	}
	err = Over(parts, func(p Part) error {
		p.Settings.Within = span
		return do(p)
	})
	if err == nil {
		return span.Commit()
	}
	if failed := span.Undo(); failed != nil {
		return errors.Join(err, failed)
	}
	return &TakenBackError{err}
}
