package config

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"molt/input"
)

var (
	flowPreviews  = regexp.MustCompile(`(?m)^previews:[ \t]*\[([^\]\n]*)\]`)
	blockPreviews = regexp.MustCompile(`(?m)^previews:[ \t]*(#[^\n]*)?\n([ \t]*)- `)
	anyPreviews   = regexp.MustCompile(`(?m)^previews:`)
)

// Edit adds packages to previews and takes holds out, in the text of a configuration, and leaves the rest alone.
// What it made is read again, and must say so.
func Edit(text string, previews, unhold []string) (string, error) {
	for _, name := range previews {
		quoted := name
		if strings.HasPrefix(name, "@") {
			quoted = `"` + name + `"`
		}
		switch flow := flowPreviews.FindStringSubmatchIndex(text); {
		case flow != nil:
			between := ", "
			if strings.TrimSpace(text[flow[2]:flow[3]]) == "" {
				between = ""
			}
			text = text[:flow[3]] + between + quoted + text[flow[3]:]
		case blockPreviews.MatchString(text):
			at := blockPreviews.FindStringSubmatchIndex(text)
			text = text[:at[4]] + text[at[4]:at[5]] + "- " + quoted + "\n" + text[at[4]:]
		case !anyPreviews.MatchString(text):
			if text != "" && !strings.HasSuffix(text, "\n") {
				text += "\n"
			}
			text += "previews: [" + quoted + "]\n"
		}
	}
	for _, name := range unhold {
		hold := regexp.MustCompile(`(?m)^([ \t]+)["']?` + regexp.QuoteMeta(name) + `["']?:[^\n]*\n(?:[ \t]+[^\n]*\n)*?(?:(?:[ \t]{3,}(?:reason|until):[^\n]*\n)*)`)
		if at := hold.FindStringIndex(text); at != nil {
			text = text[:at[0]] + text[at[1]:]
		}
	}
	c, err := Read(File, []byte(text))
	if err != nil {
		return "", fmt.Errorf("editing %s: %w", File, err)
	}
	for _, name := range previews {
		if !slices.Contains(c.Previews, name) {
			return "", &input.UsageError{Reason: fmt.Sprintf("%s is written in a way that Molt does not edit; add %s under \"previews:\"", File, name)}
		}
	}
	for _, name := range unhold {
		if _, held := c.Hold[name]; held {
			return "", &input.UsageError{Reason: fmt.Sprintf("%s is written in a way that Molt does not edit; take %s out under \"hold:\"", File, name)}
		}
	}
	return text, nil
}

var (
	holdBlock = regexp.MustCompile(`(?m)^hold:[ \t]*(#[^\n]*)?\n([ \t]*#[^\n]*\n)*([ \t]+)[^ \t#\n]`)
	holdEmpty = regexp.MustCompile(`(?m)^hold:[ \t]*(\{\}|null|~)?[ \t]*(#[^\n]*)?$`)
)

// AddHold puts a hold into the text of a configuration, before the first one that is there.
func AddHold(text, name string, h Hold) string {
	entry := yamlString(name) + ": {reason: " + yamlString(h.Reason)
	if h.Until != "" {
		entry += ", until: " + h.Until
	}
	entry += "}\n"
	if at := holdBlock.FindStringSubmatchIndex(text); at != nil {
		return text[:at[6]] + text[at[6]:at[7]] + entry + text[at[6]:]
	}
	if at := holdEmpty.FindStringIndex(text); at != nil {
		return text[:at[0]] + "hold:\n  " + strings.TrimSuffix(entry, "\n") + text[at[1]:]
	}
	if text != "" && !strings.HasSuffix(text, "\n") {
		text += "\n"
	}
	return text + "hold:\n  " + entry
}

var plainYAML = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_./-]*$`)

// yamlString writes a string the way that YAML reads it back: JSON's way, where it is not a plain word.
func yamlString(s string) string {
	if plainYAML.MatchString(s) && s != "null" && s != "true" && s != "false" && s != "yes" && s != "no" {
		return s
	}
	data, _ := json.Marshal(s) // a string always has an encoding
	return string(data)
}
