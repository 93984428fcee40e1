package app

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"molt/core/upgrade"
	"molt/ecosystem"
)

// ConfigFile is the name of the configuration. It is optional, and so is every key in it.
const ConfigFile = "molt.yaml"

// Config is what people decided about an application.
type Config struct {
	Ecosystem string            `yaml:"ecosystem"`
	Registry  string            `yaml:"registry"`
	Goal      string            `yaml:"goal"`
	Runtime   map[string]string `yaml:"runtime"`  // deployed versions by runtime
	Settle    string            `yaml:"settle"`   // how old a release must be: "14 days"
	Previews  []string          `yaml:"previews"` // packages of which prereleases may be used
	Hold      map[string]Hold   `yaml:"hold"`
	Family    [][]string        `yaml:"family"`
	Fixed     string            `yaml:"fixed"` // an inventory of packages that are given from outside
	Checks    []Check           `yaml:"checks"`
}

// A Hold keeps a package back, with the reason and, if there is one, the last day.
type Hold struct {
	Reason string `yaml:"reason"`
	Until  string `yaml:"until"` // a date such as 2027-01-31, "" for no end
}

// A Check is a command that must succeed after a stage.
type Check struct {
	Name  string `yaml:"name"`
	Run   string `yaml:"run"`   // a command line for the shell
	Limit string `yaml:"limit"` // longest time, as "5m"; "" for ten minutes
}

// later are keys that are spoken for, but not read by this Molt yet.
var later = []string{"stages"}

var configKeys = []string{"ecosystem", "registry", "goal", "runtime", "settle", "previews", "hold", "family", "fixed", "checks"}

// readConfig reads a configuration. Unknown keys are errors, with the nearest known one.
func readConfig(file string, data []byte) (Config, error) {
	var c Config
	tree, err := parser.ParseBytes(data, 0)
	if err != nil {
		return c, yamlError(file, err)
	}
	for _, doc := range tree.Docs {
		mapping, ok := doc.Body.(*ast.MappingNode)
		if !ok {
			if doc.Body == nil || doc.Body.Type() == ast.NullType || doc.Body.Type() == ast.CommentType {
				continue
			}
			return c, &ecosystem.PositionError{File: file, Line: 1, Column: 1, Reason: "expected keys with values, such as \"goal: name@5\""}
		}
		for _, pair := range mapping.Values {
			key := pair.Key.GetToken()
			at := &ecosystem.PositionError{File: file, Line: key.Position.Line, Column: key.Position.Column}
			switch {
			case slices.Contains(later, key.Value):
				at.Reason = fmt.Sprintf("this Molt does not know %q yet", key.Value)
				return c, at
			case !slices.Contains(configKeys, key.Value):
				at.Reason = fmt.Sprintf("unknown key %q", key.Value)
				if near := upgrade.Nearest(key.Value, configKeys); near != "" {
					at.Reason += fmt.Sprintf("; did you mean %q?", near)
				}
				return c, at
			}
		}
	}
	if err := yaml.UnmarshalWithOptions(data, &c, yaml.Strict()); err != nil {
		return c, yamlError(file, err)
	}
	return c, c.check(file, string(data))
}

// valueError points at the first place in a file where a value stands.
func valueError(file, text, value, reason string) error {
	p := &ecosystem.PositionError{File: file, Line: 1, Column: 1, Reason: fmt.Sprintf("%q: %s", value, reason)}
	if at := strings.Index(text, value); at >= 0 && value != "" {
		p.Line = strings.Count(text[:at], "\n") + 1
		p.Column = at - strings.LastIndexByte(text[:at], '\n')
	}
	return p
}

// check looks at values that have a form of their own.
func (c *Config) check(file, text string) error {
	fail := func(value, reason string) error { return valueError(file, text, value, reason) }
	if _, err := c.settle(); err != nil {
		return fail(c.Settle, err.Error())
	}
	for name, h := range c.Hold {
		if _, err := time.Parse(time.DateOnly, h.Until); h.Until != "" && err != nil {
			return fail(h.Until, "expected a date such as 2027-01-31")
		}
		if h.Reason == "" {
			return fail(name, "a hold needs a reason")
		}
	}
	for _, check := range c.Checks {
		if check.Name == "" || check.Run == "" {
			return fail("checks", "every check needs a name and a command to run")
		}
		if _, err := check.limit(); err != nil {
			return fail(check.Limit, "expected a time such as 90s or 5m")
		}
	}
	return nil
}

func (c Check) limit() (time.Duration, error) {
	if c.Limit == "" {
		return 10 * time.Minute, nil
	}
	return time.ParseDuration(c.Limit)
}

// settle returns how old a release must be.
func (c *Config) settle() (time.Duration, error) {
	if c.Settle == "" {
		return 0, nil
	}
	number, unit, _ := strings.Cut(c.Settle, " ")
	n, err := strconv.Atoi(number)
	days := map[string]int{"day": 1, "days": 1, "week": 7, "weeks": 7}[unit]
	if err != nil || n < 0 || days == 0 {
		return 0, errors.New(`expected a number of days or weeks, such as "14 days"`)
	}
	return time.Duration(n*days) * 24 * time.Hour, nil
}

// held splits the holds into those in force and those whose last day has passed.
func (c *Config) held(now time.Time) (names, ended []string) {
	for name, h := range c.Hold {
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

func yamlError(file string, err error) error {
	p := &ecosystem.PositionError{File: file, Line: 1, Column: 1, Reason: strings.SplitN(err.Error(), "\n", 2)[0]}
	var at yaml.Error
	if errors.As(err, &at) {
		p.Reason = at.GetMessage()
		if t := at.GetToken(); t != nil {
			p.Line, p.Column = t.Position.Line, t.Position.Column
		}
	}
	return p
}
