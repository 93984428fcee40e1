package planfile

import (
	"bytes"

	"molt/app/yamlfile"
)

// Goal returns the goal of a plan, as it is written there; "" for what is no plan. Where it stands
// before the stages, as Molt writes it, these are not read.
func Goal(data []byte) string {
	for _, key := range []string{"\nmade:", "\nstages:"} {
		if at := bytes.Index(data, []byte(key)); at >= 0 && bytes.Contains(data[:at], []byte("\ngoal:")) {
			data = data[:at+1]
		}
	}
	var head struct {
		Goal string `yaml:"goal"`
	}
	if yamlfile.Read(File, data, &head) != nil {
		return ""
	}
	return head.Goal
}
