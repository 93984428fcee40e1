package config

import (
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"

	"molt/app/yamlfile"
	"molt/core/project"
)

// Install says who lays out packages, and how. It is written as the one who does, or as a table: {by: molt, links: no}.
type Install struct {
	// By is "molt", "none" (nobody does for Molt), a command, or "" for Molt where it did before or nothing is installed.
	By string
	// Links is "no" where files are to be copies, which may be written to, and not links to those of the store.
	Links string
	// Bytecode is "yes" where the runtime compiles what is laid out.
	Bytecode string
}

// UnmarshalYAML reads either form.
func (i *Install) UnmarshalYAML(node ast.Node) error {
	*i = Install{}
	if by, ok := written(node); ok {
		i.By = by
		return nil
	}
	var table struct {
		By       string `yaml:"by"`
		Links    string `yaml:"links"`
		Bytecode string `yaml:"bytecode"`
	}
	if err := yaml.NodeToValue(node, &table, yaml.Strict()); err != nil {
		return yamlfile.Wrong(node, "install: expected molt, none or a command, or a table of by, links and bytecode: "+
			"{by: molt, links: no}")
	}
	*i = Install(table)
	return nil
}

func (i Install) valid(bad func(value, reason string, path ...any) error) error {
	if near := project.Nearest(i.By, []string{"molt", "none"}); near != "" && near != i.By &&
		!strings.ContainsAny(i.By, " ./") {
		return bad(i.By, "expected molt, which lays out packages itself, none, which leaves them to people, or a command "+
			"that installs; did you mean "+near+"?", "install")
	}
	for key, text := range map[string]string{"links": i.Links, "bytecode": i.Bytecode} {
		if !slices.Contains([]string{"", "yes", "no", "true", "false"}, text) {
			return bad(text, "expected yes or no", "install", key)
		}
	}
	return nil
}

// Copies reports whether files are laid out as copies.
func (i Install) Copies() bool { return i.Links == "no" || i.Links == "false" }

// Compiles reports whether what is laid out is compiled.
func (i Install) Compiles() bool { return i.Bytecode == "yes" || i.Bytecode == "true" }
