package app

import (
	"bytes"
	"errors"
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"molt/core/plan"
	"molt/core/project"
	"molt/ecosystem"
	"molt/input"
)

// ConfigFile is the name of the configuration. It is optional, and so is every key in it.
const ConfigFile = "molt.yaml"

// Config is what people decided about an application.
type Config struct {
	Ecosystem string          `yaml:"ecosystem"`
	Registry  string          `yaml:"registry"`
	Goal      string          `yaml:"goal"`
	Runtime   Runtimes        `yaml:"runtime"`  // what is deployed
	Settle    string          `yaml:"settle"`   // how old a release must be: "14 days"
	Previews  []string        `yaml:"previews"` // packages of which prereleases may be used
	Hold      map[string]Hold `yaml:"hold"`
	Family    [][]string      `yaml:"family"`
	Fixed     string          `yaml:"fixed"` // an inventory of packages that are given from outside
	Checks    []Check         `yaml:"checks"`
	Stages    Stages          `yaml:"stages"`
	Advice    []string        `yaml:"advice"` // files, folders and addresses of what upgrade guides say
	Rules     HouseRules      `yaml:"rules"`
	Largest   int64           `yaml:"largest-document"` // of a registry, in MB; 0 for the usual limit
	place     yamlPlace
}

// Stages says how plans are cut, and what belongs to their stages.
type Stages struct {
	Fresh string `yaml:"fresh"` // how far to freshen what the goal does not need
	Leap  bool   `yaml:"leap"`  // go to the goal in one leap
	Tasks []Task `yaml:"tasks"`
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
	Pass   []string          `yaml:"pass"`   // variables with tokens that it may see
}

var configKeys = []string{"ecosystem", "registry", "goal", "runtime", "settle", "previews", "hold", "family", "fixed", "checks", "stages", "advice", "rules", "largest-document"}

// readConfig reads a configuration. Unknown keys are errors, with the nearest known one.
func readConfig(file string, data []byte) (Config, error) {
	var c Config
	tree, err := parseYAML(file, data, 0)
	if err != nil {
		return c, err
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
			if !slices.Contains(configKeys, key.Value) {
				at.Reason = fmt.Sprintf("unknown key %q", key.Value)
				if near := project.Nearest(key.Value, configKeys); near != "" {
					at.Reason += fmt.Sprintf("; did you mean %q?", near)
				}
				return c, at
			}
		}
	}
	if err := readYAML(file, data, &c, yaml.Strict()); err != nil {
		return c, err
	}
	c.place = yamlPlace{file, tree}
	return c, c.check(c.place)
}

// A yamlPlace finds positions in the syntax tree of a YAML text.
type yamlPlace struct {
	file string
	tree *ast.File
}

// at returns an error about the value at a path of keys and indices, or about its key when asked for that. Where the path
// ends early it is about the last part that is there.
func (y yamlPlace) at(key bool, reason string, path ...any) error {
	p := &ecosystem.PositionError{File: y.file, Line: 1, Column: 1, Reason: reason}
	point := func(n ast.Node) {
		if n != nil && n.GetToken() != nil {
			p.Line, p.Column = n.GetToken().Position.Line, n.GetToken().Position.Column
		}
	}
	for _, doc := range y.tree.Docs {
		node := doc.Body
		for i, part := range path {
			next := ast.Node(nil)
			switch part := part.(type) {
			case string:
				for _, pair := range pairsOf(node) {
					if pair.Key.GetToken().Value == part {
						point(pair.Key)
						next = pair.Value
					}
				}
			case int:
				if list, ok := node.(*ast.SequenceNode); ok && part < len(list.Values) {
					next = list.Values[part]
					if pairs := pairsOf(next); len(pairs) > 0 {
						point(pairs[0].Key)
					} else {
						point(next)
					}
				}
			}
			if node = next; node == nil {
				break
			}
			if i == len(path)-1 && !key {
				if _, scalar := node.(ast.ScalarNode); scalar {
					point(node)
				}
			}
		}
	}
	return p
}

func pairsOf(n ast.Node) []*ast.MappingValueNode {
	switch m := n.(type) {
	case *ast.MappingNode:
		return m.Values
	case *ast.MappingValueNode:
		return []*ast.MappingValueNode{m}
	case *ast.AnchorNode:
		return pairsOf(m.Value)
	}
	return nil
}

// check looks at values that have a form of their own.
func (c *Config) check(place yamlPlace) error {
	bad := func(value, reason string, path ...any) error {
		return place.at(false, fmt.Sprintf("%q: %s", value, reason), path...)
	}
	if _, err := c.settle(); err != nil {
		return bad(c.Settle, err.Error(), "settle")
	}
	for _, name := range slices.Sorted(maps.Keys(c.Hold)) {
		h := c.Hold[name]
		if _, err := time.Parse(time.DateOnly, h.Until); h.Until != "" && err != nil {
			return bad(h.Until, "expected a date such as 2027-01-31", "hold", name, "until")
		}
		if h.Reason == "" {
			return place.at(true, fmt.Sprintf("%q: a hold needs a reason", name), "hold", name)
		}
	}
	if c.Largest < 0 || c.Largest > 1024 {
		return bad(fmt.Sprint(c.Largest), "expected a number of megabytes, from 1 to 1024", "largest-document")
	}
	if err := c.Rules.valid(bad); err != nil {
		return err
	}
	if f := plan.Fresh(c.Stages.Fresh); f != "" && !slices.Contains(plan.Freshness, f) {
		return bad(c.Stages.Fresh, "expected none, patch, minor or major", "stages", "fresh")
	}
	names := map[string]bool{}
	for i, check := range c.Checks {
		if err := check.valid(place, names, "checks", i); err != nil {
			return err
		}
		for k, kind := range check.Kinds {
			if !slices.Contains(plan.StageKinds, plan.StageKind(kind)) {
				return bad(kind, fmt.Sprintf("expected a kind of stage: %s", strings.Trim(fmt.Sprint(plan.StageKinds), "[]")), "checks", i, "kinds", k)
			}
		}
	}
	for i, task := range c.Stages.Tasks {
		if err := task.check().valid(place, names, "stages", "tasks", i); err != nil {
			return err
		}
		if len(task.With) == 0 {
			return bad(task.Name, "a task says with which packages it runs, such as \"with: [harborline-codegen]\"", "stages", "tasks", i, "name")
		}
	}
	return nil
}

// valid looks at what a check or a task says, which stands at a path; names are those that others have.
func (c Check) valid(place yamlPlace, names map[string]bool, path ...any) error {
	bad := func(field, value, reason string) error {
		return place.at(false, fmt.Sprintf("%q: %s", value, reason), append(slices.Clone(path), field)...)
	}
	limit, err := c.limit()
	switch {
	case c.Name == "" || c.Run == "":
		return place.at(true, "every check and every task needs a name and a command to run", path...)
	case names[c.Name]:
		return bad("name", c.Name, "two checks or tasks have this name")
	case err != nil || limit <= 0:
		return bad("limit", c.Limit, "expected a time such as 90s or 5m")
	case c.Folder != "" && !filepath.IsLocal(c.Folder):
		return bad("folder", c.Folder, "expected a folder below the application")
	}
	for k, name := range c.Pass {
		if !strings.HasPrefix(name, tokenPrefix) {
			return place.at(false, fmt.Sprintf("%q: expected the name of a variable with a token, such as %sJS; all others are passed on anyway", name, tokenPrefix), append(slices.Clone(path), "pass", k)...)
		}
	}
	names[c.Name] = true
	return nil
}

// checkNames makes sure that what the configuration says of packages is about packages that are there: declared ones or, where
// that makes sense, locked ones.
func (c *Config) checkNames(place yamlPlace, declared, locked []string) error {
	unknown := func(name string, known []string, what string, path ...any) error {
		reason := fmt.Sprintf("%q: no %s package has this name", name, what)
		if near := project.Nearest(name, known); near != "" {
			reason += "; did you mean " + near + "?"
		}
		return place.at(true, reason, path...)
	}
	for _, name := range slices.Sorted(maps.Keys(c.Hold)) {
		if !slices.Contains(declared, name) {
			return unknown(name, declared, "declared", "hold", name)
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
	for i, task := range c.Stages.Tasks {
		for k, name := range task.With { // a package may come later; what is nearly the name of one that is there is a mistake
			if near := project.Nearest(name, all); !slices.Contains(all, name) && near != "" && len(near) > 3 {
				return unknown(name, all, "declared or locked", "stages", "tasks", i, "with", k)
			}
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
func (c *Config) settle() (time.Duration, error) { return age(c.Settle) }

// reasons lists why packages are held.
func (c *Config) reasons() map[string]string {
	all := map[string]string{}
	for name, h := range c.Hold {
		all[name] = h.Reason
	}
	return all
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

// readYAML reads a text strictly, or without minding unknown keys. The library ends in a panic on some texts that make no
// sense; that is an error like another.
func readYAML(file string, data []byte, into any, options ...yaml.DecodeOption) (err error) {
	defer func() {
		if recover() != nil {
			err = &ecosystem.PositionError{File: file, Line: 1, Column: 1, Reason: "this YAML makes no sense"}
		}
	}()
	if _, err := parseYAML(file, data, 0); err != nil {
		return err
	}
	if err := yaml.UnmarshalWithOptions(data, into, options...); err != nil {
		return yamlError(file, err)
	}
	return nil
}

// parseYAML reads the syntax tree of a text, with the same care.
func parseYAML(file string, data []byte, mode parser.Mode) (tree *ast.File, err error) {
	defer func() {
		if recover() != nil {
			err = &ecosystem.PositionError{File: file, Line: 1, Column: 1, Reason: "this YAML makes no sense"}
		}
	}()
	if err := input.YAMLDepth(file, data); err != nil {
		return nil, err
	}
	if tree, err = parser.ParseBytes(data, mode); err != nil {
		return nil, yamlError(file, err)
	}
	if !bytes.ContainsRune(data, '*') {
		return tree, nil
	}
	anchors := map[string]int{}
	for _, doc := range tree.Docs {
		if expanded(doc.Body, anchors) > input.Expanded {
			return nil, &input.LimitError{Name: file, Limit: fmt.Sprintf("YAML may expand to at most %d values", input.Expanded)}
		}
	}
	return tree, nil
}

// expanded counts the values of a YAML text with every alias replaced by what it refers to, up to a little more than
// input.Expanded.
func expanded(n ast.Node, anchors map[string]int) int {
	total := 1
	add := func(n ast.Node) {
		if total <= input.Expanded {
			total += expanded(n, anchors)
		}
	}
	switch x := n.(type) {
	case *ast.MappingNode:
		for _, pair := range x.Values {
			add(pair)
		}
	case *ast.MappingValueNode:
		add(x.Value)
	case *ast.SequenceNode:
		for _, value := range x.Values {
			add(value)
		}
	case *ast.TagNode:
		add(x.Value)
	case *ast.AnchorNode:
		add(x.Value)
		anchors[x.Name.String()] = total
	case *ast.AliasNode:
		total += anchors[x.Value.String()]
	}
	return total
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
