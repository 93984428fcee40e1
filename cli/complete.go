package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"molt/app/open"
)

// completeDeclared completes the names that the manifest declares.
func (c *call) completeDeclared(_ *cobra.Command, args []string, begun string) ([]string, cobra.ShellCompDirective) {
	a, err := open.Open(c.settings)
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	var names []string
	for _, d := range a.Declared() {
		if strings.HasPrefix(d.As, begun) {
			names = append(names, d.As)
		}
	}
	return names, cobra.ShellCompDirectiveNoFileComp
}

// completeKnown completes the names of declared and locked packages.
func (c *call) completeKnown(cmd *cobra.Command, args []string, begun string) ([]string, cobra.ShellCompDirective) {
	names, directive := c.completeDeclared(cmd, args, begun)
	a, err := open.Open(c.settings)
	if err != nil || a.Lock == nil {
		return names, directive
	}
	seen := map[string]bool{}
	for _, name := range names {
		seen[name] = true
	}
	for _, p := range a.Lock.Packages {
		if strings.HasPrefix(p.Name, begun) && !seen[p.Name] {
			seen[p.Name] = true
			names = append(names, p.Name)
		}
	}
	return names, directive
}

// completeWanted completes names, and after an @ the releases that the cache knows of.
func (c *call) completeWanted(cmd *cobra.Command, args []string, begun string) ([]string, cobra.ShellCompDirective) {
	at := strings.LastIndexByte(begun, '@')
	if at <= 0 {
		return c.completeKnown(cmd, args, begun)
	}
	a, err := open.Open(c.settings)
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	q, err := a.Offline().Ask(cmd.Context(), nil)
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	defer q.Close()
	p, err := q.Source.Package(cmd.Context(), begun[:at])
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	var all []string
	for i := p.Len() - 1; i >= 0; i-- {
		if v := p.Version(i).String(); strings.HasPrefix(v, begun[at+1:]) {
			all = append(all, begun[:at+1]+v)
		}
	}
	return all, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveKeepOrder
}
