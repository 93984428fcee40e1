package config_test

import (
	"reflect"
	"strings"
	"testing"

	"molt/app/config"
)

// Versions are read as they are written, and what is none is an error at its place.
func TestDeployed(t *testing.T) {
	for _, c := range []struct {
		text string
		want any // what is read, or a part of the error
	}{
		{"runtime: {python: 3.10}", config.Runtimes{"python": {"": "3.10"}}},
		{"runtime:\n  desk: {python: 3.10, node: \"20\"}\n  node: 18",
			config.Runtimes{"python": {"desk": "3.10"}, "node": {"desk": "20", "": "18"}}},
		{"runtime:", config.Runtimes(nil)},
		{"runtime: 5", "molt.yaml:1:10: runtime: expected a version for each runtime"},
		{"runtime:\n  node: [20]", "molt.yaml:2:9: runtime: node: expected a version such as 20.11.1"},
		// which is no version, says whoever knows the runtime
		{"runtime: {desk: {node: yes}}", config.Runtimes{"node": {"desk": "yes"}}},
		{"runtime: {desk: {node: true}}", "molt.yaml:1:24: runtime: node: expected a version"},
		{"stops: {marram: [4.20, \"5\"]}", config.Stops{"marram": {"4.20", "5"}}},
		{"stops: {marram: 4.2}", "molt.yaml:1:17: stops: marram: expected a list of releases"},
		{"stops: [marram]", "molt.yaml:1:8: stops: expected lists of releases"},
		{"stops: {marram: [{}]}", "molt.yaml:1:18: stops: marram: expected releases such as 4.2"},
	} {
		read, err := config.Read(config.File, []byte(c.text))
		if text, fails := c.want.(string); fails {
			if err == nil || !strings.Contains(err.Error(), text) {
				t.Errorf("%s: %v, want %s", c.text, err, text)
			}
			continue
		}
		var got any = read.Runtime
		if _, stops := c.want.(config.Stops); stops {
			got = read.Stops
		}
		if err != nil || !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s: %v %v, want %v", c.text, got, err, c.want)
		}
	}
}
