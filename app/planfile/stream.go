package planfile

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"molt/app/yamlfile"
)

// Where an application has several ecosystems, the file is a stream of YAML documents, one for
// each, which says so under "ecosystem". A document without that key is that of the whole
// application.

// mark begins a document.
const mark = "---"

// parts cuts a stream into its documents, without their marks: the offsets of each.
func parts(data []byte) (all [][2]int) {
	from, at := 0, 0
	for line := range bytes.Lines(data) {
		if string(bytes.TrimRight(line, " \t\r\n")) == mark {
			if at > from {
				all = append(all, [2]int{from, at})
			}
			from = at + len(line)
		}
		at += len(line)
	}
	if at > from {
		all = append(all, [2]int{from, at})
	}
	return all
}

// ecosystemOf reads which ecosystem a document is about.
func ecosystemOf(part []byte) string {
	if at := bytes.Index(part, []byte("\nstages:")); at >= 0 {
		part = part[:at+1]
	}
	var head struct {
		Ecosystem string `yaml:"ecosystem"`
	}
	if yamlfile.Read(File, part, &head) != nil {
		return ""
	}
	return head.Ecosystem
}

// Stream reads the plans of a file by ecosystem, which are some of those known. A sole plan that
// names none is left out. The error is of the first that cannot be read, that is for no known
// ecosystem or for one that had its plan, or that has a stage with the id of another's.
func Stream(data []byte, known []string) (map[string]*Plan, error) {
	plans, ids := map[string]*Plan{}, map[string]bool{}
	all := slices.DeleteFunc(parts(data), func(p [2]int) bool { return !isPlan(data[p[0]:p[1]]) })
	if len(all) == 1 && ecosystemOf(data[all[0][0]:all[0][1]]) == "" {
		all = nil
	}
	for _, p := range all {
		plan, err := Read(File, placed(data, p))
		if err != nil {
			return nil, err
		}
		switch e := plan.Ecosystem; {
		case e == "":
			return nil, plan.Text.ErrorAt(
				"$.molt-plan", "this plan does not say for which ecosystem it is: expected ecosystem: "+strings.Join(known, " or "))
		case !slices.Contains(known, e):
			return nil, plan.Text.ErrorAt(
				"$.ecosystem", fmt.Sprintf("there are no packages of %s here: expected %s", e, strings.Join(known, " or ")))
		case plans[e] != nil:
			return nil, plan.Text.ErrorAt("$.ecosystem", "this is the second plan for "+e+"; each ecosystem has one")
		}
		for i, s := range plan.Stages {
			if ids[s.ID] {
				return nil, plan.Text.ErrorAt(
					fmt.Sprintf("$.stages[%d].id", i), "every stage needs an id of its own, and "+s.ID+
						" is in another plan of this file")
			}
		}
		for _, s := range plan.Stages {
			ids[s.ID] = true
		}
		plans[plan.Ecosystem] = plan
	}
	return plans, nil
}

// isPlan reports whether a document is a plan, and not words of people.
func isPlan(part []byte) bool { return bytes.Contains(part, []byte("molt-plan:")) }

// placed returns a document with empty lines before it in place of what stands there, so that
// positions are those of the file.
func placed(data []byte, p [2]int) []byte {
	return append(bytes.Repeat([]byte("\n"), bytes.Count(data[:p[0]], []byte("\n"))), data[p[0]:p[1]]...)
}

// Document returns the document of an ecosystem, nil where there is none; positions in it are those of the file.
func Document(data []byte, ecosystem string) []byte {
	for _, p := range parts(data) {
		if ecosystemOf(data[p[0]:p[1]]) == ecosystem {
			return placed(data, p)
		}
	}
	return nil
}

// Nameless returns the plan that names no ecosystem, nil where there is none; WithDocument takes it out.
func Nameless(data []byte) []byte {
	for _, p := range parts(data) {
		if part := data[p[0]:p[1]]; isPlan(part) && ecosystemOf(part) == "" {
			return placed(data, p)
		}
	}
	return nil
}

// WithDocument returns the stream with another document for an ecosystem, which comes last where
// there was none. A plan that names no ecosystem goes: it is of a time when there was one.
func WithDocument(data []byte, ecosystem string, part []byte) []byte {
	part = bytes.TrimLeft(part, "\n")
	var out [][]byte
	found := false
	for _, p := range parts(data) {
		old := data[p[0]:p[1]]
		switch ecosystemOf(old) {
		case ecosystem:
			out, found = append(out, part), true
		case "":
			if !isPlan(old) {
				out = append(out, old)
			}
		default:
			out = append(out, old)
		}
	}
	if !found {
		out = append(out, part)
	}
	return bytes.Join(out, []byte(mark+"\n"))
}

// Names reports whether one of the plans of a file has a stage.
func Names(data []byte, stage string) bool {
	for _, p := range parts(data) {
		if plan, err := Read(File, placed(data, p)); err == nil && plan.Stage(stage) != nil {
			return true
		}
	}
	return false
}
