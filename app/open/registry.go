package open

import (
	"fmt"
	"slices"
	"strings"

	"molt/app/config"
	"molt/ecosystem"
	"molt/ecosystem/registered"
	"molt/input"
	"molt/registry"
)

// VariableFor returns the name of an environment variable that is about one of the registries: that
// for all packages (key ""), or that of a scope or pattern under "registry:", of which the letters
// and digits make the end of the name: MOLT_REGISTRY_JS_SKERRY for @skerry.
func VariableFor(a *View, prefix, key string) string {
	name := prefix + strings.ToUpper(a.Eco.Name())
	words := strings.FieldsFunc(strings.ToUpper(key),
		func(r rune) bool { return (r < 'A' || r > 'Z') && (r < '0' || r > '9') })
	return strings.Join(append([]string{name}, words...), "_")
}

// allowVariable allows credentials for registries that a repository names, where there is no person
// to ask: addresses with spaces between.
const allowVariable = "MOLT_ALLOW_REGISTRY"

// RegistryPrefix begins the names of the variables with the addresses of registries.
const RegistryPrefix = "MOLT_REGISTRY_"

// belowPrefix begins the names of the variables with the path below which credentials are sent,
// where that is not the registry's own.
const belowPrefix = "MOLT_TOKEN_BELOW_"

// A RegistryPlace is where a registry is, and who says so.
type RegistryPlace struct {
	key      string // a scope or pattern of the configuration; "" for all other packages
	address  string
	variable string // the variable that has the address; "" where the configuration has it
	Of       string // the key of the configuration that has it, where that is an ecosystem's name; "" otherwise
}

// protocol is how the registries of an application are asked: as the configuration has it, else in the usual way.
func protocol(a *View) ecosystem.Protocol {
	all := a.Eco.Protocols()
	return all[max(0, slices.IndexFunc(all, func(p ecosystem.Protocol) bool { return p.Name == a.Config.Protocol }))]
}

// checkProtocol makes sure that the protocol of the configuration is one of the application's ecosystem; in a folder with
// several, of one of them.
func checkProtocol(a *View) error {
	if a.Config.Protocol == "" {
		return nil
	}
	var known []string
	for _, e := range registered.Ecosystems {
		if e.Name() != a.Eco.Name() && a.SideName() == "" {
			continue
		}
		for _, p := range e.Protocols() {
			if p.Name == a.Config.Protocol {
				return nil
			}
			known = append(known, p.Name)
		}
	}
	return a.Config.Place.At(false, fmt.Sprintf("%q: no such protocol is known here; known: %s", a.Config.Protocol,
		strings.Join(known, ", ")), "protocol")
}

// RegistryKeys returns the address for all packages that no scope or pattern of the configuration
// has one for, with the key where it stands under the name of the ecosystem; and the scopes and
// patterns. Names of ecosystems are none: they tell the registries of a folder with several apart.
func RegistryKeys(a *View) (usual, of string, keys []string) {
	usual = a.Config.Registry.Default
	for _, key := range a.Config.Registry.Keys() {
		switch {
		case key == a.Eco.Name():
			usual, of = a.Config.Registry.Some[key], key
		case !slices.ContainsFunc(registered.Ecosystems, func(e ecosystem.Ecosystem) bool { return e.Name() == key }):
			keys = append(keys, key)
		}
	}
	return usual, of, keys
}

// registryPlaces returns the registries of the application, that for all other packages first.
// Addresses of the environment come before those of the configuration.
func registryPlaces(a *View) ([]RegistryPlace, error) {
	var all []RegistryPlace
	usual, of, keys := RegistryKeys(a)
	for _, key := range append([]string{""}, keys...) {
		p := RegistryPlace{key: key, address: a.Config.Registry.Some[key]}
		if key == "" {
			p.address, p.Of = usual, of
		}
		variable := VariableFor(a, RegistryPrefix, key)
		for _, other := range all {
			if VariableFor(a, RegistryPrefix, other.key) == variable { // a token for one would go to the other
				return nil, a.Config.Place.At(true, fmt.Sprintf("%q and %q have the same letters and digits, so their variables "+
					"would be the same, such as %s; name one of them otherwise", other.key, key, variable), "registry", key)
			}
		}
		if address := a.Settings.Env(variable); address != "" {
			p.address, p.variable = address, variable
		}
		if p.address == "" && key == "" && len(keys) > 0 {
			continue
		}
		if p.address == "" {
			says := fmt.Sprintf("no registry address: set %s (or \"registry:\" in %s) to one that begins with http://, "+
				"https:// or file://", variable, config.File)
			if side := a.SideName(); side != "" {
				says = fmt.Sprintf("packages of %s: %s; where only another ecosystem is meant, \"ecosystem:\" in %s says so",
					side, says, config.File)
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

// credential returns what the environment or the netrc file has for a registry, and what to say
// where the registry is not content with that. A repository can name any address, so one that comes
// from its configuration gets nothing until the person has allowed that once; Withheld says so.
func credential(a *View, p RegistryPlace) (c registry.Credential, says string, withheld bool, err error) {
	variable := VariableFor(a, config.TokenPrefix, p.key)
	c, says = registry.Bearer(a.Settings.Env(variable)), "it does not take the token of "+variable
	if c.None() {
		var file, machine string
		if c, file, machine, err = registry.FromNetrc(a.Settings.Env, p.address); err != nil {
			return c, "", false, &input.UsageError{Reason: err.Error()}
		}
		says = fmt.Sprintf("it does not take what %s has for machine %s", file, machine)
		if c.None() {
			return c, fmt.Sprintf("set %s to a token for %s, or add \"machine %s login NAME password SECRET\" to %s",
				variable, p.address, machine, file), false, nil
		}
	}
	if !c.None() && registry.Plain(p.address) && !a.Settings.AllowPlain {
		return registry.Credential{}, "", false, &input.UsageError{Reason: fmt.Sprintf("%s is plain HTTP, so anybody on "+
			"the way could read the token or password for it: name it with https://, or say --allow-plain-token", p.address)}
	}
	if p.variable != "" || slices.Contains(strings.Fields(a.Settings.Env(allowVariable)), p.address) {
		return c, says, false, nil
	}
	if a.Settings.Allow {
		return c, says, false, a.User.Allow(p.address)
	}
	if allowed, err := a.User.Allows(p.address); err != nil || allowed {
		return c, says, false, err
	}
	return registry.Credential{}, fmt.Sprintf(
		"%s names it, so it gets no credentials until you allow that with --allow-registry", config.File), true, nil
}

// Withheld says which registries get no credentials, since nobody allowed that; "" for none.
func (q *Question) Withheld() string {
	withheld := q.access.withheld
	if len(withheld) == 0 {
		return ""
	}
	addresses := strings.Join(withheld, " ")
	if len(withheld) == 1 {
		return fmt.Sprintf("%s names the registry %s, and it gets no credentials until you allow that: run this once with "+
			"--allow-registry, or set %s=%s in continuous integration",
			config.File, addresses, allowVariable, addresses)
	}
	return fmt.Sprintf("%s names the registries %s, and they get no credentials until you allow that: run this once "+
		"with --allow-registry, or set %s='%s' in continuous integration",
		config.File, addresses, allowVariable, addresses)
}

// openRegistries opens the registries of the application. It returns the addresses of those that
// get no credentials, since nobody allowed that.
func openRegistries(a *View) (all *registry.Registries, withheld []string, err error) {
	places, err := registryPlaces(a)
	if err != nil {
		return nil, nil, err
	}
	all = registry.Only(nil)
	for _, p := range places {
		credential, says, kept, err := credential(a, p)
		if err != nil {
			all.Close()
			return nil, nil, err
		}
		if kept {
			withheld = append(withheld, p.address)
		}
		client, err := registry.New(registry.Options{
			Base: p.address, Credential: credential, Below: a.Settings.Env(VariableFor(a, belowPrefix, p.key)), Keys: says,
			Offline: a.Settings.Offline, Since: a.Settings.Since,
			Unsaid: a.Config.FreshFor(), Cache: a.CacheDir(), Jobs: a.Settings.Jobs, Document: a.Config.Largest << 20})
		if err != nil {
			all.Close()
			return nil, nil, &input.UsageError{Reason: err.Error()}
		}
		if p.key == "" {
			all = registry.Only(client)
		} else {
			all.Add(p.key, client)
		}
	}
	return all, withheld, nil
}

func registryOf(registries *registry.Registries, name string) (*registry.Client, error) {
	if c := registries.For(name); c != nil {
		return c, nil
	}
	return nil, &input.UsageError{
		Reason: fmt.Sprintf("%s has no registry for %s: add \"default:\" under \"registry:\"", config.File, name)}
}
