// Package sarif writes findings with their places in the Static Analysis Results Interchange
// Format, SARIF 2.1.0 (OASIS), as far as it is needed here.
package sarif

import (
	"io"
	"maps"
	"slices"

	"molt/doc"
	"molt/render/words"
)

type log struct {
	Version string `json:"version"`
	Schema  string `json:"$schema"`
	Runs    []run  `json:"runs"`
}

type run struct {
	Tool    tool     `json:"tool"`
	Results []result `json:"results"`
}

type tool struct {
	Driver driver `json:"driver"`
}

type driver struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	Rules   []rule `json:"rules"`
}

type rule struct {
	ID   string `json:"id"`
	Says text   `json:"shortDescription"`
}

type text struct {
	Text string `json:"text"`
}

type result struct {
	RuleID    string     `json:"ruleId"`
	RuleIndex int        `json:"ruleIndex"`
	Level     string     `json:"level"`
	Message   text       `json:"message"`
	Locations []location `json:"locations"`
}

type location struct {
	Physical physical `json:"physicalLocation"`
}

type physical struct {
	Artifact artifact `json:"artifactLocation"`
	Region   *region  `json:"region,omitempty"`
}

type artifact struct {
	URI string `json:"uri"`
}

type region struct {
	Line   int `json:"startLine"`
	Column int `json:"startColumn,omitempty"`
}

// Write writes findings of a version of Molt. Only rules that something is about are listed.
func Write(w io.Writer, version string, all []doc.Located) error {
	r := run{Tool: tool{driver{Name: "molt", Version: version, Rules: []rule{}}}, Results: []result{}}
	index := map[string]int{}
	for _, name := range slices.Sorted(maps.Keys(doc.Rules)) {
		if slices.ContainsFunc(all, func(l doc.Located) bool { return l.Rule == name }) {
			index[name] = len(r.Tool.Driver.Rules)
			r.Tool.Driver.Rules = append(r.Tool.Driver.Rules, rule{name, text{doc.Rules[name]}})
		}
	}
	for _, l := range all {
		at := physical{Artifact: artifact{l.File}}
		if l.Line > 0 {
			at.Region = &region{l.Line, l.Column}
		}
		r.Results = append(r.Results, result{
			RuleID: l.Rule, RuleIndex: index[l.Rule], Level: l.Level, Message: text{words.Of(l.Says)}, Locations: []location{{at}}})
	}
	return doc.JSON(w, log{Version: "2.1.0",
		Schema: "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json", Runs: []run{r}})
}
