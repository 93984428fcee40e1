package open

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"molt/app/advice"
	"molt/app/config"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
)

// VariableFor returns the name of an environment variable that is about one of the registries: that for all packages (key ""), or that of a
// scope or pattern under "registry:", of which the letters and digits make the end of the name: MOLT_REGISTRY_JS_SKERRY for @skerry.
func (a *App) VariableFor(prefix, key string) string {
	name := prefix + strings.ToUpper(a.Eco.Name())
	words := strings.FieldsFunc(strings.ToUpper(key), func(r rune) bool { return (r < 'A' || r > 'Z') && (r < '0' || r > '9') })
	return strings.Join(append([]string{name}, words...), "_")
}

// allowVariable allows credentials for registries that a repository names, where there is no person to ask: addresses with spaces between.
const allowVariable = "MOLT_ALLOW_REGISTRY"

// RegistryPrefix begins the names of the variables with the addresses of registries.
const RegistryPrefix = "MOLT_REGISTRY_"

// belowPrefix begins the names of the variables with the path below which credentials are sent, where that is not the registry's own.
const belowPrefix = "MOLT_TOKEN_BELOW_"

// A RegistryPlace is where a registry is, and who says so.
type RegistryPlace struct {
	key      string // a scope or pattern of the configuration; "" for all other packages
	address  string
	variable string // the variable that has the address; "" where the configuration has it
	Of       string // the key of the configuration that has it, where that is an ecosystem's name; "" otherwise
}

// RegistryKeys returns the address for all packages that no scope or pattern of the configuration has one for, with the key where it stands under the
// name of the ecosystem; and the scopes and patterns. Names of ecosystems are none: they tell the registries of a folder with several apart.
func (a *App) RegistryKeys() (usual, of string, keys []string) {
	usual = a.Config.Registry.Default
	for _, key := range a.Config.Registry.Keys() {
		switch {
		case key == a.Eco.Name():
			usual, of = a.Config.Registry.Some[key], key
		case !slices.ContainsFunc(Ecosystems, func(e ecosystem.Ecosystem) bool { return e.Name() == key }):
			keys = append(keys, key)
		}
	}
	return usual, of, keys
}

// registryPlaces returns the registries of the application, that for all other packages first. Addresses of the environment come before those of
// the configuration.
func (a *App) registryPlaces() ([]RegistryPlace, error) {
	var all []RegistryPlace
	usual, of, keys := a.RegistryKeys()
	for _, key := range append([]string{""}, keys...) {
		p := RegistryPlace{key: key, address: a.Config.Registry.Some[key]}
		if key == "" {
			p.address, p.Of = usual, of
		}
		variable := a.VariableFor(RegistryPrefix, key)
		for _, other := range all {
			if a.VariableFor(RegistryPrefix, other.key) == variable { // a token for one would go to the other
				return nil, a.Config.Place.At(true, fmt.Sprintf("%q and %q have the same letters and digits, so their variables would be the same, such as %s; name one of them otherwise", other.key, key, variable), "registry", key)
			}
		}
		if address := a.Settings.Env(variable); address != "" {
			p.address, p.variable = address, variable
		}
		if p.address == "" && key == "" && len(keys) > 0 {
			continue
		}
		if p.address == "" {
			says := fmt.Sprintf("no registry address: set %s (or \"registry:\" in %s) to one that begins with http://, https:// or file://", variable, config.File)
			if side := a.SideName(); side != "" {
				says = fmt.Sprintf("packages of %s: %s; where only another ecosystem is meant, \"ecosystem:\" in %s says so", side, says, config.File)
			}
			return nil, &input.UsageError{Reason: says}
		}
		u, err := registry.ParseAddress(p.address)
		switch {
		case err != nil && p.variable == "":
			return nil, a.Config.Place.At(false, err.Error(), p.Path()...)
		case err != nil:
			return nil, &input.UsageError{Reason: variable + ": " + err.Error()}
		}
		p.address = u.String()
		all = append(all, p)
	}
	return all, nil
}

// Path is where the configuration has the address.
func (p RegistryPlace) Path() []any {
	switch {
	case p.Of != "":
		return []any{"registry", p.Of}
	case p.key == "":
		return []any{"registry"}
	}
	return []any{"registry", p.key}
}

// credential returns what the environment or the netrc file has for a registry, and what to say where the registry is not content with that. A repository can
// name any address, so one that comes from its configuration gets nothing until the person has allowed that once; Withheld says so.
func (a *App) credential(p RegistryPlace) (c registry.Credential, says string, err error) {
	variable := a.VariableFor(config.TokenPrefix, p.key)
	c, says = registry.Bearer(a.Settings.Env(variable)), "it does not take the token of "+variable
	if c.None() {
		var file, machine string
		if c, file, machine, err = registry.FromNetrc(a.Settings.Env, p.address); err != nil {
			return c, "", &input.UsageError{Reason: err.Error()}
		}
		says = fmt.Sprintf("it does not take what %s has for machine %s", file, machine)
		if c.None() {
			return c, fmt.Sprintf("set %s to a token for %s, or add \"machine %s login NAME password SECRET\" to %s", variable, p.address, machine, file), nil
		}
	}
	if !c.None() && registry.Plain(p.address) && !a.Settings.AllowPlain {
		return registry.Credential{}, "", &input.UsageError{Reason: fmt.Sprintf("%s is plain HTTP, so anybody on the way could read the token or password for it: name it with https://, or say --allow-plain-token", p.address)}
	}
	if p.variable != "" || slices.Contains(strings.Fields(a.Settings.Env(allowVariable)), p.address) {
		return c, says, nil
	}
	if a.Settings.Allow {
		return c, says, a.User.Allow(p.address)
	}
	if allowed, err := a.User.Allows(p.address); err != nil || allowed {
		return c, says, err
	}
	a.withheld = append(a.withheld, p.address)
	return registry.Credential{}, fmt.Sprintf("%s names it, so it gets no credentials until you allow that with --allow-registry", config.File), nil
}

// Withheld says which registries get no credentials, since nobody allowed that; "" for none. It is known once the registries are open.
func (a *App) Withheld() string {
	if len(a.withheld) == 0 {
		return ""
	}
	addresses := strings.Join(a.withheld, " ")
	if len(a.withheld) == 1 {
		return fmt.Sprintf("%s names the registry %s, and it gets no credentials until you allow that: run this once with --allow-registry, or set %s=%s in continuous integration",
			config.File, addresses, allowVariable, addresses)
	}
	return fmt.Sprintf("%s names the registries %s, and they get no credentials until you allow that: run this once with --allow-registry, or set %s='%s' in continuous integration",
		config.File, addresses, allowVariable, addresses)
}

// openRegistries opens the registries of the application.
func (a *App) openRegistries() (*registry.Registries, error) {
	places, err := a.registryPlaces()
	if err != nil {
		return nil, err
	}
	all := registry.Only(nil)
	for _, p := range places {
		credential, says, err := a.credential(p)
		if err != nil {
			all.Close()
			return nil, err
		}
		client, err := registry.New(registry.Options{Base: p.address, Credential: credential, Below: a.Settings.Env(a.VariableFor(belowPrefix, p.key)), Keys: says, Offline: a.Settings.Offline, Since: a.Settings.Since,
			Unsaid: a.Config.FreshFor(), Cache: a.CacheDir(), Jobs: a.Settings.Jobs, Document: a.Config.Largest << 20})
		if err != nil {
			all.Close()
			return nil, &input.UsageError{Reason: err.Error()}
		}
		if p.key == "" {
			all = registry.Only(client)
		} else {
			all.Add(p.key, client)
		}
	}
	return all, nil
}

// Progress tells how far the registries are, while they are open.
func (a *App) Progress() registry.Progress {
	if r := a.Registries; r != nil {
		return r.Progress()
	}
	return registry.Progress{}
}

// Missed returns the names of what was asked for while offline and is not at hand.
func (a *App) Missed() []string { return a.Registries.Missed() }

// RegistryOf returns the registry of a package, while a source is open.
func (a *App) RegistryOf(name string) (*registry.Client, error) {
	if c := a.Registries.For(name); c != nil {
		return c, nil
	}
	return nil, &input.UsageError{Reason: fmt.Sprintf("%s has no registry for %s: add \"default:\" under \"registry:\"", config.File, name)}
}

// LoadAdvice reads the advice that the configuration names. It returns warnings.
func (a *App) LoadAdvice(ctx context.Context) (warnings []string, err error) {
	library := advice.Library{Dir: a.Dir, Files: a.Files, Eco: a.Eco, Sources: a.Runner().Sources, Elsewhere: a.elsewhere, Open: func(base string) (*registry.Client, error) {
		return registry.New(registry.Options{Base: base, Offline: a.Settings.Offline, Since: a.Settings.Since, Unsaid: a.Config.FreshFor(), Cache: a.CacheDir(), Jobs: 1})
	}}
	a.Guides, warnings, err = library.Load(ctx, a.Config.Advice)
	return warnings, err
}
