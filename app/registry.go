package app

import (
	"context"
	"fmt"
	"strings"

	"molt/app/advice"
	"molt/app/config"
	"molt/input"
	"molt/registry"
)

// registryVariable is the name of the environment variable with the address of the ecosystem's registry, tokenVariable
// that of the one with a token for it.
func (a *App) registryVariable() string { return "MOLT_REGISTRY_" + strings.ToUpper(a.Eco.Name()) }

func (a *App) tokenVariable() string { return config.TokenPrefix + strings.ToUpper(a.Eco.Name()) }

// allowVariable allows credentials for one registry that a repository names, where there is no person to ask.
const allowVariable = "MOLT_ALLOW_REGISTRY"

// registryAddress returns the address of the registry: that of the environment, else that of the configuration.
func (a *App) registryAddress() (string, error) {
	base := a.Settings.Env(a.registryVariable())
	if base == "" {
		base = a.Config.Registry
	}
	if base == "" {
		return "", &input.UsageError{Reason: fmt.Sprintf("no registry address: set %s (or \"registry:\" in %s) to one that begins with http://, https:// or file://",
			a.registryVariable(), config.File)}
	}
	u, err := registry.ParseAddress(base)
	if err != nil {
		return "", &input.UsageError{Reason: err.Error()}
	}
	return u.String(), nil
}

// credential returns what the environment or the netrc file has for a registry. A repository can name any address, so one
// that comes from its configuration gets nothing until the person has allowed that once; Withheld says so.
func (a *App) credential(address string) (registry.Credential, error) {
	c := registry.Bearer(a.Settings.Env(a.tokenVariable()))
	if c.None() {
		var err error
		if c, err = registry.FromNetrc(a.Settings.Env, address); err != nil {
			return c, &input.UsageError{Reason: err.Error()}
		}
	}
	if c.None() || a.Settings.Env(a.registryVariable()) != "" {
		return c, nil
	}
	if allowed := strings.TrimSuffix(a.Settings.Env(allowVariable), "/"); allowed == address {
		return c, nil
	}
	if a.Settings.Allow {
		return c, a.user.Allow(address)
	}
	if allowed, err := a.user.Allows(address); err != nil || allowed {
		return c, err
	}
	a.withheld = address
	return registry.Credential{}, nil
}

// Withheld returns the address of the registry that gets no credentials, since nobody allowed that; "" for none. It is
// known once the registry is open.
func (a *App) Withheld() string {
	if a.withheld == "" {
		return ""
	}
	return fmt.Sprintf("%s names the registry %s, and it gets no credentials until you allow that: run this once with --allow-registry, or set %s=%s in continuous integration",
		config.File, a.withheld, allowVariable, a.withheld)
}

// LoadAdvice reads the advice that the configuration names. It returns warnings.
func (a *App) LoadAdvice(ctx context.Context) (warnings []string, err error) {
	library := advice.Library{Dir: a.Dir, Eco: a.Eco, Sources: a.runner().Sources, Open: func(base string) (*registry.Client, error) {
		return registry.New(registry.Options{Base: base, Offline: a.Settings.Offline, Since: a.Settings.Since, Unsaid: a.Config.FreshFor(), Cache: a.cacheDir(), Jobs: 1})
	}}
	a.guides, warnings, err = library.Load(ctx, a.Config.Advice)
	return warnings, err
}
