// Package config is molt.yaml: what people decided about an application, and edits of it that leave
// the rest of the text alone.
package config

import (
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"

	"molt/app/yamlfile"
	"molt/core/plan"
	"molt/core/project"
	"molt/input"
)

// File is the name of the configuration. It is optional, and so is every key in it.
const File = "molt.yaml"

// Config is what people decided about an application.
type Config struct {
	Ecosystem string     `yaml:"ecosystem"`
	Registry  Registries `yaml:"registry"`
	Protocol  string     `yaml:"protocol"` // how registries are asked, where the ecosystem knows several ways; "" for the usual
	// how long an answer counts where the registry does not say: "1h"; "" for ten minutes
	CacheFor string          `yaml:"cache-for"`
	Goal     string          `yaml:"goal"`
	Runtime  Runtimes        `yaml:"runtime"`  // what is deployed
	Platform Platforms       `yaml:"platform"` // what is deployed on
	Settle   string          `yaml:"settle"`   // how old a release must be: "14 days"
	Previews []string        `yaml:"previews"` // packages of which prereleases may be used
	Hold     map[string]Hold `yaml:"hold"`
	Waive    map[string]Hold `yaml:"waive"` // what packages ask of others and people set aside, by "lamp on hull"
	Family   [][]string      `yaml:"family"`
	// groups of the manifest of which at most one of each list is installed
	Alternatives [][]string        `yaml:"alternatives"`
	Trust        []string          `yaml:"trust"`    // packages whose silence or open range counts as a promise
	Breaking     map[string]string `yaml:"breaking"` // packages of which a minor release may break: "minor"
	Stops        Stops             `yaml:"stops"`    // by which releases of a framework the way to a goal goes
	// patterns for the folders of a workspace, where the manifest does not name them
	Members []string `yaml:"members"`
	// the file of the lock, where the ecosystem has several names for it; "" for the usual one
	Lock    string         `yaml:"lock"`
	Fixed   string         `yaml:"fixed"` // an inventory of packages that are given from outside
	Install Install        `yaml:"install"`
	Build   []string       `yaml:"build"` // packages whose build steps may run when they are laid out
	Pass    []string       `yaml:"pass"`  // variables that all commands may see, besides what every program needs
	Checks  []Check        `yaml:"checks"`
	Stages  Stages         `yaml:"stages"`
	Advice  []string       `yaml:"advice"` // files, folders and addresses of what upgrade guides say
	Rules   Policy         `yaml:"rules"`
	Largest int64          `yaml:"largest-document"` // of a registry, in MB; 0 for the usual limit
	Place   yamlfile.Place `yaml:"-"`
}

// Stages says how plans are cut, and what belongs to their stages.
type Stages struct {
	Fresh string `yaml:"fresh"` // how far to freshen what the goal does not need
	Leap  bool   `yaml:"leap"`  // go to the goal in one leap
	// Bridges is "apart" where each package that goes ahead of the framework is to have a stage of its own.
	Bridges string `yaml:"bridges"`
	// Caps is "lift" where lines that end before the next major are freshened past that.
	Caps  string `yaml:"caps"`
	Tasks []Task `yaml:"tasks"`
}

// Cut is how plans are cut by that.
func (s Stages) Cut() plan.Cut {
	return plan.Cut{Fresh: plan.Fresh(s.Fresh), Leap: s.Leap, Apart: s.Bridges == "apart"}
}

// A Hold keeps a package back, with the reason and, if there is one, the last day.
type Hold struct {
	Reason string `yaml:"reason"`
	Until  string `yaml:"until"` // a date such as 2027-01-31, "" for no end
}

// A Check is a command that must succeed after a stage.
type Check struct {
	Name   string            `yaml:"name"`
	Run    string            `yaml:"run"`    // a command line for the shell
	Limit  string            `yaml:"limit"`  // longest time, as "5m"; "" for ten minutes
	Kinds  []string          `yaml:"kinds"`  // of stages after which it runs; none for all
	Folder string            `yaml:"folder"` // in which it runs, below the application
	Env    map[string]string `yaml:"env"`    // variables besides those of the call
	Pass   []string          `yaml:"pass"`   // variables of the call that it may see, besides what every program needs
}

var configKeys = []string{"ecosystem", "registry", "protocol", "cache-for", "goal", "runtime", "platform", "settle", "previews", "hold",
	"waive", "family", "alternatives", "trust", "breaking", "stops", "members", "lock", "fixed", "install", "build",
	"pass", "checks", "stages", "advice", "rules", "largest-document"}

// Keys lists the keys that a configuration may have.
func Keys() []string { return configKeys }

// Read reads a configuration. Unknown keys are errors, with the nearest known one.
func Read(file string, data []byte) (Config, error) {
	var c Config
	tree, err := yamlfile.Parse(file, data, 0)
	if err != nil {
		return c, err
	}
	for _, doc := range tree.Docs {
		mapping, ok := doc.Body.(*ast.MappingNode)
		if !ok {
			if doc.Body == nil || doc.Body.Type() == ast.NullType || doc.Body.Type() == ast.CommentType {
				continue
			}
			return c, &input.PositionError{
				File: file, Line: 1, Column: 1, Reason: "expected keys with values, such as \"goal: name@5\""}
		}
		for _, pair := range mapping.Values {
			key := pair.Key.GetToken()
			at := &input.PositionError{File: file, Line: key.Position.Line, Column: key.Position.Column}
			if !slices.Contains(configKeys, key.Value) {
				at.Reason = fmt.Sprintf("unknown key %q", key.Value)
				if near := project.Nearest(key.Value, configKeys); near != "" {
					at.Reason += fmt.Sprintf("; did you mean %q?", near)
				}
				return c, at
			}
		}
	}
	if err := yamlfile.Read(file, data, &c, yaml.Strict()); err != nil {
		return c, err
	}
	c.Place = yamlfile.Place{File: file, Tree: tree}
	return c, c.check(c.Place)
}

// check looks at values that have a form of their own.
func (c *Config) check(place yamlfile.Place) error {
	bad := func(value, reason string, path ...any) error {
		return place.At(false, fmt.Sprintf("%q: %s", value, reason), path...)
	}
	if err := c.Install.valid(bad); err != nil {
		return err
	}
	if _, err := c.SettleAge(); err != nil {
		return bad(c.Settle, err.Error(), "settle")
	}
	if d, err := time.ParseDuration(c.CacheFor); c.CacheFor != "" && (err != nil || d < 0) {
		return bad(c.CacheFor, "expected a time such as 30s, 10m or 1h; 0s asks each time", "cache-for")
	}
	for _, kept := range []struct {
		key, what string
		all       map[string]Hold
	}{{"hold", "hold", c.Hold}, {"waive", "waiver", c.Waive}} {
		for _, name := range slices.Sorted(maps.Keys(kept.all)) {
			h := kept.all[name]
			if _, err := time.Parse(time.DateOnly, h.Until); h.Until != "" && err != nil {
				return bad(h.Until, "expected a date such as 2027-01-31", kept.key, name, "until")
			}
			if h.Reason == "" {
				return place.At(true, fmt.Sprintf("%q: a %s needs a reason", name, kept.what), kept.key, name)
			}
			if p, of, ok := strings.Cut(name, " on "); kept.key == "waive" && (!ok || p == "" || of == "" || p == of) {
				return place.At(true, fmt.Sprintf("%q: expected a package and what it asks something of, such as \"lamp on hull\"",
					name), kept.key, name)
			}
		}
	}
	if c.Largest < 0 || c.Largest > 1024 {
		return bad(fmt.Sprint(c.Largest), "expected a number of megabytes, from 1 to 1024", "largest-document")
	}
	if err := c.Rules.valid(bad); err != nil {
		return err
	}
	if err := c.Registry.valid(bad); err != nil {
		return err
	}
	if c.Stages.Bridges != "" && c.Stages.Bridges != "apart" {
		return bad(c.Stages.Bridges, "expected apart: that each package that goes ahead of the framework has a stage of "+
			"its own", "stages", "bridges")
	}
	if c.Stages.Caps != "" && c.Stages.Caps != "lift" {
		return bad(c.Stages.Caps, "expected lift: that a line such as ~2.1.0 does not keep a package below its next minor "+
			"release", "stages", "caps")
	}
	if f := plan.Fresh(c.Stages.Fresh); f != "" && !slices.Contains(plan.Freshness, f) {
		return bad(c.Stages.Fresh, "expected none, patch, minor or major", "stages", "fresh")
	}
	for _, name := range slices.Sorted(maps.Keys(c.Breaking)) {
		if c.Breaking[name] != "minor" {
			return bad(c.Breaking[name], "expected minor: that minor releases of the package may break", "breaking", name)
		}
	}
	if err := validPass(place, c.Pass); err != nil {
		return err
	}
	names := map[string]bool{}
	for i, check := range c.Checks {
		if err := check.valid(place, names, "checks", i); err != nil {
			return err
		}
		for k, kind := range check.Kinds {
			if !slices.Contains(plan.StageKinds, plan.StageKind(kind)) {
				return bad(kind, fmt.Sprintf("expected a kind of stage: %s", strings.Trim(fmt.Sprint(plan.StageKinds), "[]")),
					"checks", i, "kinds", k)
			}
		}
	}
	for i, task := range c.Stages.Tasks {
		if err := task.Check().valid(place, names, "stages", "tasks", i); err != nil {
			return err
		}
		if len(task.With) == 0 {
			return bad(task.Name, "a task says with which packages it runs, such as \"with: [harborline-codegen]\"", "stages",
				"tasks", i, "name")
		}
	}
	return nil
}

// valid looks at what a check or a task says, which stands at a path; names are those that others have.
func (c Check) valid(place yamlfile.Place, names map[string]bool, path ...any) error {
	bad := func(field, value, reason string) error {
		return place.At(false, fmt.Sprintf("%q: %s", value, reason), append(slices.Clone(path), field)...)
	}
	limit, err := c.Timeout()
	switch {
	case c.Name == "" || c.Run == "":
		return place.At(true, "every check and every task needs a name and a command to run", path...)
	case names[c.Name]:
		return bad("name", c.Name, "two checks or tasks have this name")
	case err != nil || limit <= 0:
		return bad("limit", c.Limit, "expected a time such as 90s or 5m")
	case c.Folder != "" && !filepath.IsLocal(c.Folder):
		return bad("folder", c.Folder, "expected a folder below the application")
	}
	if err := validPass(place, c.Pass, path...); err != nil {
		return err
	}
	names[c.Name] = true
	return nil
}

// validPass looks at names of variables, which stand below "pass" at a path.
func validPass(place yamlfile.Place, names []string, path ...any) error {
	for k, name := range names {
		if name == "" || strings.ContainsAny(name, "= \t*") {
			return place.At(false, fmt.Sprintf("%q: expected the name of a variable, such as %sJS", name, TokenPrefix),
				append(slices.Clone(path), "pass", k)...)
		}
	}
	return nil
}

// CheckNames makes sure that what the configuration says of packages is about packages that are
// there: declared ones or, where that makes sense, locked ones.
func (c *Config) CheckNames(place yamlfile.Place, declared, locked []string) error {
	unknown := func(name string, known []string, what string, path ...any) error {
		reason := fmt.Sprintf("%q: no %s package has this name", name, what)
		if near := project.Nearest(name, known); near != "" {
			reason += "; did you mean " + near + "?"
		}
		return place.At(true, reason, path...)
	}
	for _, name := range slices.Sorted(maps.Keys(c.Hold)) {
		if !slices.Contains(declared, name) {
			return unknown(name, declared, "declared", "hold", name)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(c.Waive)) {
		// a package may come with the goal; what is nearly the name of one that is there is a mistake
		p, _, _ := strings.Cut(name, " on ")
		if near := project.Nearest(p, slices.Concat(declared, locked)); locked != nil && near != "" && near != p &&
			!slices.Contains(slices.Concat(declared, locked), p) {
			return unknown(p, slices.Concat(declared, locked), "declared or locked", "waive", name)
		}
	}
	for i, name := range c.Trust {
		if !slices.Contains(declared, name) {
			return unknown(name, declared, "declared", "trust", i)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(c.Stops)) {
		if !slices.Contains(declared, name) {
			return unknown(name, declared, "declared", "stops", name)
		}
	}
	for _, name := range c.Minors() {
		if !slices.Contains(declared, name) {
			return unknown(name, declared, "declared", "breaking", name)
		}
	}
	if locked == nil {
		return nil
	}
	all := slices.Concat(declared, locked)
	for i, family := range c.Family {
		for k, name := range family {
			if !slices.Contains(all, name) {
				return unknown(name, all, "declared or locked", "family", i, k)
			}
		}
	}
	for i, name := range c.Previews {
		if !slices.Contains(all, name) {
			return unknown(name, all, "declared or locked", "previews", i)
		}
	}
	for i, task := range c.Stages.Tasks {
		for k, name := range task.With {
			// a package may come later; what is nearly the name of one that is there is a mistake
			if near := project.Nearest(name, all); !slices.Contains(all, name) && near != "" && len(near) > 3 {
				return unknown(name, all, "declared or locked", "stages", "tasks", i, "with", k)
			}
		}
	}
	return nil
}

// Timeout returns how long the check may take; ten minutes when nobody said.
func (c Check) Timeout() (time.Duration, error) {
	if c.Limit == "" {
		return 10 * time.Minute, nil
	}
	return time.ParseDuration(c.Limit)
}

// FreshFor returns how long an answer counts where the registry does not say; ten minutes when nobody said.
func (c *Config) FreshFor() time.Duration {
	if c.CacheFor == "" {
		return 10 * time.Minute
	}
	d, _ := time.ParseDuration(c.CacheFor) // it was checked
	return d
}

// SettleAge returns how old a release must be.
func (c *Config) SettleAge() (time.Duration, error) { return age(c.Settle) }

// Reasons lists why packages are held.
func (c *Config) Reasons() map[string]string {
	all := map[string]string{}
	for name, h := range c.Hold {
		all[name] = h.Reason
	}
	return all
}

// Minors lists the packages of which a minor release may break.
func (c *Config) Minors() []string { return slices.Sorted(maps.Keys(c.Breaking)) }

// Held splits the holds into those in force and those whose last day has passed.
func (c *Config) Held(now time.Time) (names, ended []string) { return inForce(c.Hold, now) }

// Waived splits the waivers likewise.
func (c *Config) Waived(now time.Time) (all []project.Waiver, ended []string) {
	names, ended := inForce(c.Waive, now)
	for _, name := range names {
		p, of, _ := strings.Cut(name, " on ")
		all = append(all, project.Waiver{Package: p, Of: of, Reason: c.Waive[name].Reason})
	}
	return all, ended
}

// inForce splits decisions by whether their last day has passed, each sorted.
func inForce(all map[string]Hold, now time.Time) (names, ended []string) {
	for name, h := range all {
		until, err := time.Parse(time.DateOnly, h.Until)
		if h.Until != "" && err == nil && now.After(until.AddDate(0, 0, 1)) {
			ended = append(ended, name)
		} else {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	slices.Sort(ended)
	return names, ended
}

// TokenPrefix begins the names of the variables that hold tokens.
const TokenPrefix = "MOLT_TOKEN_"

// WithoutTokens leaves Molt's own tokens out of an environment.
func WithoutTokens(env []string) []string {
	return slices.DeleteFunc(env, func(entry string) bool {
		return strings.HasPrefix(strings.ToUpper(entry), TokenPrefix)
	})
}
