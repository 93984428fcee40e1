package cli_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// TestDocsRun runs every command that the docs show, in the order in which they stand there, on the
// demo's application: none is a mistake of the call.
func TestDocsRun(t *testing.T) {
	for _, name := range []string{"tour.md", "upgrade-handbook.md", "ci.md"} {
		t.Run(name, func(t *testing.T) {
			data, err := os.ReadFile(filepath.Join("..", "docs", name))
			if err != nil {
				t.Fatal(err)
			}
			d := demoDesk(t)
			ran := 0
			for i, block := range strings.Split(string(data), "```") {
				if i%2 == 0 || !strings.HasPrefix(block, "console\n") {
					continue
				}
				for line := range strings.Lines(block) {
					words, ok := strings.CutPrefix(strings.TrimSpace(line), "$ molt ")
					if !ok {
						continue
					}
					if strings.HasPrefix(words, "init ") { // it is for an application that has no configuration
						config := d.read("molt.yaml")
						if err := os.Remove(filepath.Join(d.dir, "molt.yaml")); err != nil {
							t.Fatal(err)
						}
						docsCommand(t, d, words)
						d.write("molt.yaml", config)
						continue
					}
					docsCommand(t, d, words)
					ran++
				}
			}
			if ran < 4 {
				t.Errorf("%d commands", ran)
			}
		})
	}
}

// docsCommand runs a line as it stands in the docs.
func docsCommand(t *testing.T, d *desk, words string) {
	t.Helper()
	molt := d.command()
	c := exec.Command("sh", "-c", "exec "+molt.Path+" "+words)
	c.Dir, c.Env = molt.Dir, molt.Env
	out, err := c.CombinedOutput()
	if code := c.ProcessState.ExitCode(); code != 0 && code != 1 {
		t.Errorf("molt %s exits with %d (%v):\n%s", words, code, err, out)
	}
}
