package change

import (
	"context"
	"fmt"
	"maps"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"

	"molt/app/config"
	"molt/app/open"
	"molt/ecosystem"
	"molt/registry"
)

// A Draft is what files of an application and this machine tell that its configuration would say.
type Draft struct {
	Registry        string // an address, "" where nothing tells
	RegistryFrom    string // why
	Goal, GoalFrom  string // the framework only, where nobody named a goal
	Runtimes        [][3]string
	Groups          []string // of the manifest, with how much each declares
	Checks          []ecosystem.Check
	Name, Ecosystem string
}

// NewDraft looks what the configuration of this side would say.
func NewDraft(ctx context.Context, a *open.View) Draft {
	d := Draft{Name: a.Manifest.Name(), Ecosystem: a.Eco.Name()}
	variable := open.VariableFor(a, open.RegistryPrefix, "")
	switch {
	case a.Settings.Env(variable) != "":
		d.RegistryFrom = variable + " has it"
	case a.Lock != nil && strings.HasPrefix(a.Lock.Index, "http"):
		d.Registry, d.RegistryFrom = a.Lock.Index, a.LockFile()+" was made with it"
	}
	d.Goal = a.Application().Framework()
	for _, r := range ecosystem.Runtimes(a.Eco) {
		if len(r.Ask) == 0 {
			continue
		}
		if version, ground := open.InferRuntime(ctx, a, r); version != "" {
			d.Runtimes = append(d.Runtimes, [3]string{r.Name, version, ground})
		}
	}
	count := map[string]int{}
	for _, e := range a.Manifest.Entries() {
		count[e.Group]++
	}
	for _, g := range a.Manifest.Groups() {
		if count[g] > 0 {
			d.Groups = append(d.Groups, fmt.Sprintf("%s (%d)", g, count[g]))
		}
	}
	if c, ok := a.Eco.(ecosystem.Checker); ok {
		d.Checks = c.Checks(os.DirFS(a.Dir))
	}
	return d
}

// NeedsRegistry reports whether nothing tells where packages come from.
func (d Draft) NeedsRegistry() bool { return d.Registry == "" && d.RegistryFrom == "" }

// Write writes the configuration of an application, of which there is a draft for each side, with
// comments that say where everything comes from. What people say counts before the drafts: an
// address for all sides, and goals.
func Write(drafts []Draft, address, goal string) []byte {
	b := &strings.Builder{}
	line := func(format string, args ...any) { fmt.Fprintf(b, format+"\n", args...) }
	value := func(text string) string {
		data, err := yaml.Marshal(text)
		if err != nil {
			return strconv.Quote(text)
		}
		return strings.TrimSpace(string(data))
	}
	line("# What the people of %s decided. Every key may be left out; molt config shows what counts, and why.",
		drafts[0].Name)
	line("")
	known := address
	for _, d := range drafts {
		if known == "" {
			known = d.Registry
		}
	}
	switch {
	case address != "":
		line("registry: %s", value(address))
	case len(drafts) > 1: // each ecosystem has its own
		mark := "# "
		if known != "" {
			mark = ""
		}
		line("%sregistry:    # where packages come from; or the variables MOLT_REGISTRY_…", mark)
		for _, d := range drafts {
			if d.Registry != "" {
				line("  %s: %s    # %s", d.Ecosystem, value(d.Registry), d.RegistryFrom)
			} else {
				line("#   %s: https://…", d.Ecosystem)
			}
		}
	case known != "":
		line("registry: %s    # %s", value(known), drafts[0].RegistryFrom)
	case drafts[0].RegistryFrom != "":
		line("# registry: https://…    # where packages come from; %s", drafts[0].RegistryFrom)
	default:
		line("# registry: https://…    # where packages come from; or the variable MOLT_REGISTRY_%s",
			strings.ToUpper(drafts[0].Ecosystem))
	}
	line("")
	var frameworks []string
	for _, d := range drafts {
		if d.Goal != "" {
			frameworks = append(frameworks, d.Goal)
		}
	}
	switch {
	case goal != "":
		line("goal: %s", value(goal))
	case frameworks != nil:
		line("# goal: %s@…    # where to go; the most packages here depend on %s", frameworks[0],
			strings.Join(frameworks, " and on "))
	default:
		line("# goal: NAME@MAJOR    # where to go: the framework, and its major version")
	}
	var runtimes [][3]string
	for _, d := range drafts {
		runtimes = append(runtimes, d.Runtimes...)
	}
	if runtimes != nil {
		line("\nruntime:    # what is deployed")
		for _, r := range runtimes {
			line("  %s: %s    # %s", r[0], strconv.Quote(r[1]), r[2])
		}
	}
	line("")
	for _, d := range drafts {
		if d.Groups != nil {
			line("# groups of the manifest: %s", strings.Join(d.Groups, ", "))
		}
	}
	line("\n# settle: 14 days       # how old a release must be")
	line("# hold:                 # packages that stay where they are, with the reason")
	line("#   PACKAGE: {reason: …, until: 2030-01-31}")
	line("# advice: [advice]      # files with what upgrade guides say")
	line("\nchecks:                 # commands that have to succeed after each stage, in this order")
	line("  - name: manifest and lock agree")
	line("    run: '\"$MOLT\" verify --quiet'")
	for _, d := range drafts {
		for _, c := range d.Checks {
			line("  - name: %s", value(c.Name))
			line("    run: %s", value(c.Run))
		}
	}
	return []byte(b.String())
}

// HasConfig reports whether there is a configuration.
func HasConfig(a *open.View) bool { return a.Files.Exists(config.File) }

// WriteConfig puts a new configuration on disk, which must be one. The folder must be in use.
func WriteConfig(a *open.View, data []byte) error {
	c, err := config.Read(config.File, data)
	if err != nil {
		return err
	}
	if err := a.Files.WriteFiles("init", map[string][]byte{config.File: data}); err != nil {
		return err
	}
	return open.SetUp(a, &c)
}

// A Setting is a value that counts for an application, and where it comes from.
type Setting struct{ Key, Value, From string }

// defaults are what counts where nobody says anything.
var defaults = map[string]string{
	"cache-for": "10m", "install": "molt, where it laid out what is there, or nothing is and there are checks",
	"stages":           "fresh: major, leap: false",
	"largest-document": "the usual limit", "checks": "none", "goal": "none", "settle": "none", "hold": "none",
	"previews": "none", "rules": "none", "advice": "none", "build": "none", "pass": "none"}

// SettingList lists every value that counts, the most asked for first.
func SettingList(ctx context.Context, a *open.View) []Setting {
	all := []Setting{{"folder", a.Dir, "where it was found"},
		{"ecosystem", a.Eco.Name(), ecosystemFrom(a)}, {"manifest", strings.Join(a.Manifest.Files(), ", "), "found there"},
		{"lock", a.LockFile(), lockFrom(a)}}
	usual, of, keys := open.RegistryKeys(a)
	for _, key := range append([]string{""}, keys...) {
		s := Setting{Key: strings.TrimSpace("registry " + key), Value: a.Config.Registry.Some[key],
			From: a.Config.Place.Line("registry", key)}
		if key == "" {
			s.Value, s.From = usual, a.Config.Place.Line((open.RegistryPlace{Of: of}).Path()...)
		}
		variable := open.VariableFor(a, open.RegistryPrefix, key)
		if address := a.Settings.Env(variable); address != "" {
			s.Value, s.From = address, variable
		}
		if u, err := registry.ParseAddress(s.Value); err == nil && s.Value != "" {
			s.Value = u.Redacted()
		}
		if s.Value == "" {
			s.Value, s.From = "none", "not in "+variable
		}
		all = append(all, s)
		if token := open.VariableFor(a, config.TokenPrefix, key); a.Settings.Env(token) != "" {
			all = append(all, Setting{strings.TrimSpace("token " + key), "set", token})
		}
	}
	for _, name := range slices.Sorted(maps.Keys(a.Config.Runtime)) {
		for _, environment := range slices.Sorted(maps.Keys(a.Config.Runtime[name])) {
			path := []any{"runtime", environment, name}
			if environment == "" {
				path = []any{"runtime", name}
			}
			all = append(all, Setting{strings.TrimSpace("runtime " + name + " " + environment),
				a.Config.Runtime[name][environment], a.Config.Place.Line(path...)})
		}
	}
	inferred, reasons := open.InferRuntimes(ctx, a)
	for _, name := range slices.Sorted(maps.Keys(inferred)) {
		all = append(all, Setting{"runtime " + name, inferred[name][""], reasons[name]})
	}
	for _, key := range config.Keys() {
		if slices.Contains([]string{"ecosystem", "registry", "runtime", "lock"}, key) {
			continue
		}
		if node := a.Config.Place.Value(key); node != nil {
			all = append(all, Setting{key, inline(node), a.Config.Place.Line(key)})
		} else if value, ok := defaults[key]; ok {
			all = append(all, Setting{key, value, "default"})
		}
	}
	return append(all, Setting{"cache", a.CacheDir(), from(a.Settings.Env, "MOLT_CACHE", "the user's cache folder")})
}

func from(env func(string) string, variable, usual string) string {
	if env(variable) != "" {
		return variable
	}
	return usual
}

func ecosystemFrom(a *open.View) string {
	switch {
	case a.Settings.Ecosystem != "":
		return "--ecosystem, or a side of the folder"
	case a.Config.Ecosystem != "":
		return a.Config.Place.Line("ecosystem")
	}
	return "the manifest"
}

func lockFrom(a *open.View) string {
	switch {
	case a.Config.Lock != "":
		return a.Config.Place.Line("lock")
	case a.LockFile() == ecosystem.LockFile(a.Eco):
		return "the usual name"
	}
	return "the only one there is"
}

// inline writes a value of the configuration on one line.
func inline(n ast.Node) string {
	var v any
	if yaml.NodeToValue(n, &v) != nil {
		return ""
	}
	data, err := yaml.MarshalWithOptions(v, yaml.Flow(true))
	if err != nil {
		return ""
	}
	return strings.Join(strings.Fields(string(data)), " ")
}
