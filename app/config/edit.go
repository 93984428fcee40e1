package config

import (
	"errors"
	"fmt"
	"slices"

	"molt/app/yamlfile"
	"molt/core/project"
	"molt/input"
)

// A Change is what a way out writes into a configuration: names under "previews:" and "build:",
// waivers, and holds that are taken out.
type Change struct {
	Previews, Build, Unhold []string
	Waive                   []project.Waiver
}

// Edit adds packages to previews and takes holds out, in the text of a configuration, and leaves the rest alone.
// What it made is read again, and must say so.
func Edit(text string, c Change) (string, error) {
	t, err := yamlfile.Open(File, []byte(text))
	if err != nil {
		return "", err
	}
	for _, list := range []struct {
		key   string
		names []string
	}{{"previews", c.Previews}, {"build", c.Build}} {
		for _, name := range list.names {
			if err := t.Append(list.key, name); err != nil {
				return "", unedited(err, fmt.Sprintf("add %s under \"%s:\"", name, list.key))
			}
		}
	}
	for _, w := range c.Waive {
		if err := t.Put("waive", w.Key(), "{reason: "+yamlfile.String(w.Reason)+"}"); err != nil {
			return "", unedited(err, fmt.Sprintf("put %q under \"waive:\"", w.Key()))
		}
	}
	for _, name := range c.Unhold {
		if err := t.Cut("hold", name); err != nil {
			return "", unedited(err, fmt.Sprintf("take %s out under \"hold:\"", name))
		}
	}
	read, err := Read(File, t.Bytes())
	if err != nil {
		return "", fmt.Errorf("editing %s: %w", File, err)
	}
	for _, name := range c.Previews {
		if !slices.Contains(read.Previews, name) {
			return "", fmt.Errorf("editing %s: %s is not among the previews", File, name)
		}
	}
	for _, name := range c.Build {
		if !slices.Contains(read.Build, name) {
			return "", fmt.Errorf("editing %s: %s is not among what is built", File, name)
		}
	}
	for _, w := range c.Waive {
		if read.Waive[w.Key()].Reason != w.Reason {
			return "", fmt.Errorf("editing %s: %s is not waived", File, w.Key())
		}
	}
	for _, name := range c.Unhold {
		if _, held := read.Hold[name]; held {
			return "", fmt.Errorf("editing %s: %s is still held", File, name)
		}
	}
	return string(t.Bytes()), nil
}

// unedited says what people should do to a text whose form Molt does not edit.
func unedited(err error, what string) error {
	var form *yamlfile.FormError
	if errors.As(err, &form) {
		return &input.UsageError{Reason: fmt.Sprintf("%s:%d: %s is written in a way that Molt does not edit; %s", File,
			form.Line, File, what)}
	}
	return err
}

// AddHold puts a hold into the text of a configuration, before the first one that is there.
func AddHold(text, name string, h Hold) (string, error) {
	t, err := yamlfile.Open(File, []byte(text))
	if err != nil {
		return "", err
	}
	entry := "{reason: " + yamlfile.String(h.Reason)
	if h.Until != "" {
		entry += ", until: " + h.Until
	}
	if err := t.Put("hold", name, entry+"}"); err != nil {
		return "", unedited(err, fmt.Sprintf("put %s under \"hold:\"", name))
	}
	return string(t.Bytes()), nil
}
