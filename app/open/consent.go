package open

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"molt/app/config"
	"molt/app/run"
	"molt/ecosystem"
	"molt/ecosystem/registered"
	"molt/registry"
)

// A folder says what is to run: checks, tasks, builds of packages, a command that installs; and its
// repository has hooks. A folder may come from anybody, so none of that runs before the person has
// seen the lines and said yes. The yes is sealed for this person, this folder and each line; a line
// that changes is asked for again.

// gitKind is the kind of lines that git runs for a commit.
const gitKind = "git"

// A ConsentError reports that lines may not run, since nobody allowed that.
type ConsentError struct {
	Lines  []Line
	Digest string // of all lines, by which a variable allows exactly these
}

// Error lists the lines.
func (e *ConsentError) Error() string {
	b := &strings.Builder{}
	b.WriteString("this folder wants commands run that you have not allowed here:\n")
	for _, l := range e.Lines {
		fmt.Fprintf(b, "  %s\n", l)
	}
	fmt.Fprintf(b, "--allow-commands allows these lines from now on; in continuous integration, %s=%s allows exactly them",
		allowCommands, e.Digest)
	return b.String()
}

// String writes a line for people.
func (l Line) String() string {
	text := l.Kind + "  " + l.Name
	if l.Run != "" {
		text += ":  " + l.Run
	}
	if len(l.With) > 0 {
		text += "  (" + strings.Join(l.With, ", ") + ")"
	}
	return text
}

// allowCommands is the variable that allows lines where there is no person to ask: their digest, or "all".
const allowCommands = "MOLT_ALLOW_COMMANDS"

// lines lists what a configuration has run, in its order.
func lines(c *config.Config) []Line {
	var all []Line
	with := func(check config.Check) []string {
		var with []string
		if check.Folder != "" {
			with = append(with, "in "+check.Folder)
		}
		for _, name := range append(slices.Clone(c.Pass), check.Pass...) {
			with = append(with, "is given "+name)
		}
		for name, value := range check.Env {
			with = append(with, name+"="+value)
		}
		slices.Sort(with)
		return slices.Compact(with)
	}
	for _, check := range c.Checks {
		all = append(all, Line{run.CheckJob, check.Name, check.Run, with(check)})
	}
	for _, task := range c.Stages.Tasks {
		all = append(all, Line{run.TaskJob, task.Name, task.Run, with(task.Check())})
	}
	if c.Install.By != "" && c.Install.By != "molt" && c.Install.By != "none" {
		all = append(all, Line{run.InstallJob, "packages", c.Install.By, with(config.Check{})})
	}
	for _, name := range c.Build {
		one := with(config.Check{})
		for _, address := range registriesFor(c, name) {
			one = append(one, "from "+address)
		}
		all = append(all, Line{run.BuildJob, name, "", one})
	}
	return all
}

// registriesFor lists the addresses that a configuration has for a package.
func registriesFor(c *config.Config, name string) []string {
	var all []string
	if c.Registry.Default != "" {
		all = append(all, c.Registry.Default)
	}
	for _, key := range c.Registry.Keys() {
		if registry.Matches(key, name) ||
			slices.ContainsFunc(registered.Ecosystems, func(e ecosystem.Ecosystem) bool { return e.Name() == key }) {
			all = append(all, c.Registry.Some[key])
		}
	}
	return all
}

// seal is the text of which the seal says that a line may run in this folder.
func seal(a *View, l Line) string {
	dir, err := filepath.EvalSymlinks(a.Dir)
	if err != nil {
		dir = a.Dir
	}
	data, _ := json.Marshal(l) // texts only
	return dir + "\n" + string(data)
}

// digestOf names lines by what they say, whatever the folder.
func digestOf(all []Line) string {
	data, _ := json.Marshal(all)
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:12])
}

// Consent makes sure that what the folder wants run may run: everything that the configuration
// names, and with commit also what git runs for a commit. It asks where there is somebody to ask; a
// *ConsentError says what nobody allowed.
func Consent(ctx context.Context, a *View, commit bool) error {
	all := lines(&a.Config)
	if commit {
		programs, err := a.Repo.CommitPrograms(ctx)
		if err != nil {
			return err
		}
		for _, p := range programs {
			l := Line{Kind: gitKind, Name: p.Name, Run: p.Line}
			if p.Digest != "" {
				l.With = []string{"SHA-256 " + p.Digest[:16]}
			}
			all = append(all, l)
		}
	}
	a.consent.mu.Lock()
	defer a.consent.mu.Unlock()
	missing, err := unallowed(ctx, a, all)
	if err != nil || len(missing) == 0 {
		return err
	}
	words := strings.Fields(a.Settings.Env(allowCommands))
	digest := digestOf(all)
	switch {
	case slices.Contains(words, "all"), slices.Contains(words, digest):
		return allow(a, missing, false)
	case a.Settings.AllowCommands, a.Settings.AskConsent != nil && a.Settings.AskConsent(missing):
		return allow(a, missing, true)
	}
	return &ConsentError{missing, digest}
}

// unallowed returns those lines that nobody allowed yet. What the person wrote here counts as allowed.
func unallowed(ctx context.Context, a *View, all []Line) ([]Line, error) {
	var missing []Line
	var texts []string
	for _, l := range all {
		if !a.consent.allowed[seal(a, l)] {
			missing, texts = append(missing, l), append(texts, seal(a, l))
		}
	}
	if missing == nil {
		return nil, nil
	}
	known, err := a.User.Consents(texts)
	if err != nil {
		return nil, err
	}
	var sealed []Line
	for i := len(missing) - 1; i >= 0; i-- {
		if known[i] {
			sealed = append(sealed, missing[i])
			missing = slices.Delete(missing, i, i+1)
		}
	}
	if err := allow(a, sealed, false); err != nil || len(missing) == 0 {
		return nil, err
	}
	own, err := ownLines(ctx, a, missing)
	if err != nil {
		return nil, err
	}
	missing = slices.DeleteFunc(missing, func(l Line) bool {
		return slices.ContainsFunc(own, func(o Line) bool { return seal(a, o) == seal(a, l) })
	})
	return missing, allow(a, own, true)
}

// allow notes lines as allowed, in this call or from now on.
func allow(a *View, all []Line, keep bool) error {
	var texts []string
	for _, l := range all {
		texts = append(texts, seal(a, l))
		a.consent.allowed[seal(a, l)] = true
	}
	if !keep || len(texts) == 0 {
		return nil
	}
	return a.User.Consent(texts)
}

// ownFolder is the text of which the seal says that the person set this folder up with Molt.
func ownFolder(a *View) string { return seal(a, Line{Kind: "set up here"}) }

// SetUp notes that the person wrote a configuration here, with all that it has run.
func SetUp(a *View, c *config.Config) error {
	texts := []string{ownFolder(a)}
	for _, l := range lines(c) {
		texts = append(texts, seal(a, l))
	}
	return a.User.Consent(texts)
}

// ownLines returns those lines of the configuration that the person wrote: in a folder that they
// set up, those that no commit brought, since others may have made it. While git is in the middle
// of something, none.
func ownLines(ctx context.Context, a *View, all []Line) ([]Line, error) {
	if known, err := a.User.Consents([]string{ownFolder(a)}); err != nil || !known[0] {
		return nil, err
	}
	var committed []Line
	if a.Repo.Here(ctx) {
		if what, err := a.Repo.UnderWay(ctx); err != nil || what != "" {
			return nil, err
		}
		if text := a.Repo.FileAt(ctx, "HEAD", config.File); text != nil {
			c, err := config.Read(config.File, text)
			if err != nil {
				return nil, nil // what was committed cannot be told
			}
			committed = lines(&c)
		}
	}
	return slices.DeleteFunc(slices.Clone(all), func(l Line) bool {
		return l.Kind == gitKind || slices.ContainsFunc(committed, func(c Line) bool { return seal(a, c) == seal(a, l) })
	}), nil
}

// Permit is asked by whatever runs a job, whether it may. Who did not ask before is asked now.
func Permit(ctx context.Context, a *View, j run.Job) error {
	for _, l := range lines(&a.Config) {
		same := l.Name == j.Name && l.Run == j.Run
		switch j.Kind {
		case run.InstallJob:
			same = true // there is one
		case run.BuildJob:
			same = a.Canonical(l.Name) == a.Canonical(j.Name)
		}
		if same && l.Kind == j.Kind {
			return Consent(ctx, a, false)
		}
	}
	return errors.New(config.File + " does not name what is to run: " + j.Name) // a mistake of Molt's own
}
