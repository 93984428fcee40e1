package cli_test

import (
	"fmt"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"

	"molt/demo"
	"molt/ecosystem/js"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
)

// benchDesk makes a desk for a benchmark: the demo's application when the manifest is "".
func benchDesk(b *testing.B, universe, manifest string) *desk {
	b.Helper()
	table, err := demo.Scenarios[0].Universe()
	if universe != "" {
		table, err = standin.ReadUniverse("bench.universe", []byte(universe), ranges.Scheme)
	}
	if err != nil {
		b.Fatal(err)
	}
	server := httptest.NewServer(js.JS{}.StandIn(table))
	b.Cleanup(server.Close)
	d := &desk{TB: b, dir: b.TempDir(), registry: server.URL, cache: b.TempDir(), columns: "100"}
	if manifest == "" {
		d.dir = filepath.Join(d.dir, "app")
		if err := demo.Scenarios[0].Copy(d.dir); err != nil {
			b.Fatal(err)
		}
		return d
	}
	d.write("package.json", manifest)
	return d
}

// process runs Molt for a benchmark, as a process of its own, and expects an exit code.
func (d *desk) process(b *testing.B, want int, args ...string) {
	b.Helper()
	c := d.command(args...)
	_ = c.Run()
	if got := c.ProcessState.ExitCode(); got != want {
		b.Fatalf("molt %s exits with %d, want %d", strings.Join(args, " "), got, want)
	}
}

// BenchmarkSurvey surveys an application that declares 200 packages of 30 releases each, the cache
// warm: every document is asked for again and has not changed, or, offline, is not asked for.
func BenchmarkSurvey(b *testing.B) {
	universe, manifest := strings.Builder{}, []string{}
	for i := range 800 {
		fmt.Fprintf(&universe, "package pkg-%d\n  about Made up, number %d\n", i, i)
		for major := 1; major <= 3; major++ {
			for minor := range 10 {
				fmt.Fprintf(&universe, "  %d.%d.0  20%d-%02d-01", major, minor, 19+major, minor+1)
				for k := 1; i < 200 && k <= 3; k++ {
					fmt.Fprintf(&universe, "  pkg-%d@^%d.0.0", 200+(i*7+(minor+1)*k*31)%600, major)
				}
				universe.WriteString("\n")
			}
		}
		if i < 200 {
			manifest = append(manifest, fmt.Sprintf(`"pkg-%d": "^%d.0.0"`, i, 1+i%3))
		}
	}
	d := benchDesk(b, universe.String(), `{"dependencies": {`+strings.Join(manifest, ", ")+`}}`)
	d.process(b, 0, "relock")
	for _, args := range [][]string{{"survey"}, {"survey", "--offline"}, {"relock", "--offline"}} {
		d.process(b, 0, args...)
		b.Run(strings.Join(args, ""), func(b *testing.B) {
			for b.Loop() {
				d.process(b, 0, args...)
			}
		})
	}
}

// BenchmarkUntangle shows the tangle of a line of the demo's manifest that asks for too much, with its ways out.
func BenchmarkUntangle(b *testing.B) {
	d := benchDesk(b, "", "")
	d.write("package.json", strings.Replace(
		d.read("package.json"), `"pilotage-auth": "^3.0.0"`, `"pilotage-auth": "^4.0.0"`, 1))
	d.process(b, 1, "untangle")
	for b.Loop() {
		d.process(b, 1, "untangle")
	}
}
