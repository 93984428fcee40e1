package cli_test

import (
	"bytes"
	"errors"
	"flag"
	"fmt"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"

	"molt/cli"
	"molt/demo"
	"molt/ecosystem/js"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
	"molt/txn/txntest"
)

// The tests drive the built program; naming it here has the go command run them again when it has changed.
var _ = cli.Main

var update = flag.Bool("update", false, "write what the commands print to testdata")

// molt is the built program.
var molt string

// lookAtSources, called by a test, looks at every file that the built program is made of. go test
// takes an earlier result for a new one while nothing has changed that a test has looked at, and
// what the program is made of is no part of this test.
var lookAtSources = sync.OnceValue(func() error {
	return filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			_, err = os.Stat(path)
		}
		if err == nil && d.IsDir() && strings.HasPrefix(d.Name(), ".") && d.Name() != ".." {
			return filepath.SkipDir
		}
		return err
	})
})

func TestMain(m *testing.M) {
	flag.Parse()
	os.Setenv("GIT_CONFIG_GLOBAL", os.DevNull) // what people set up for their git is none of the tests' business
	os.Setenv("GIT_CONFIG_NOSYSTEM", "1")
	dir, err := os.MkdirTemp("", "molt-test-")
	if err != nil {
		panic(err)
	}
	molt = filepath.Join(dir, "molt")
	if runtime.GOOS == "windows" {
		molt += ".exe"
	}
	build := []string{"build", "-o", molt}
	if testing.CoverMode() != "" { // what the built program does counts too: go tool covdata reads it in MOLT_COVERAGE
		build = append(build, "-cover", "-coverpkg=molt/...")
		os.Setenv("GOCOVERDIR", coverage(dir))
	}
	if out, err := exec.Command("go", append(build, "molt/cmd/molt")...).CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "%s\n", out)
		os.Exit(1)
	}
	withoutLaunchers("python3", "-c", "import sys; print(sys.executable)")
	remove := txntest.InMemory()
	code := m.Run()
	remove()
	os.RemoveAll(dir)
	os.Exit(code)
}

// withoutLaunchers has the PATH lead to a runtime itself, where a script stands in its place that
// looks for it at each start.
func withoutLaunchers(name string, args ...string) {
	launcher, err := exec.LookPath(name)
	if err != nil {
		return
	}
	out, err := exec.Command(launcher, args...).Output()
	if err != nil {
		return
	}
	folders := filepath.SplitList(os.Getenv("PATH"))
	if i := slices.Index(folders, filepath.Dir(launcher)); i >= 0 {
		folders[i] = filepath.Dir(strings.TrimSpace(string(out)))
		os.Setenv("PATH", strings.Join(folders, string(os.PathListSeparator)))
	}
}

// coverage is where the built program says what it did: the folder that MOLT_COVERAGE names, else
// one that goes with the tests.
func coverage(dir string) string {
	if named := os.Getenv("MOLT_COVERAGE"); named != "" {
		return named
	}
	dir = filepath.Join(dir, "coverage")
	_ = os.MkdirAll(dir, 0o755) // go's runtime says what is missing
	return dir
}

// A desk is an application in a temporary folder, with a registry.
type desk struct {
	testing.TB
	dir      string
	registry string
	cache    string
	state    string
	columns  string
}

// beside holds the tests that run beside others already.
var beside sync.Map

// demoRegistry is the demo's registry, of which the archives are made once.
var demoRegistry = sync.OnceValue(func() http.Handler {
	table, err := demo.Scenarios[0].Universe()
	if err != nil {
		panic(err)
	}
	return js.JS{}.StandIn(table)
})

// newDesk makes a desk with files; the registry serves a universe, or the demo's when it is "".
func newDesk(t *testing.T, universe string, files map[string]string) *desk {
	t.Helper()
	if err := lookAtSources(); err != nil {
		t.Fatal(err)
	}
	if _, already := beside.LoadOrStore(t, true); !already {
		t.Parallel() // most of the time goes into waiting for other programs
	}
	handler := demoRegistry()
	if universe != "" {
		table, err := standin.ReadUniverse("test.universe", []byte(universe), ranges.Scheme)
		if err != nil {
			t.Fatal(err)
		}
		handler = js.JS{}.StandIn(table)
	}
	server := httptest.NewServer(handler)
	t.Cleanup(server.Close)
	d := &desk{TB: t, dir: t.TempDir(), registry: server.URL, cache: t.TempDir(), state: t.TempDir(), columns: "100"}
	for name, text := range files {
		d.write(name, text)
	}
	return d
}

// demoDesk is the demo's application, with the registry as it is.
func demoDesk(t *testing.T) *desk {
	t.Helper()
	d := newDesk(t, "", nil)
	if err := demo.Scenarios[0].Copy(filepath.Join(d.dir, "app")); err != nil {
		t.Fatal(err)
	}
	d.dir = filepath.Join(d.dir, "app")
	if err := demo.Scenarios[0].Still(d.dir); err != nil { // not every machine has a runtime, nor the same
		t.Fatal(err)
	}
	return d
}

func (d *desk) write(name, text string) {
	d.Helper()
	if err := os.WriteFile(filepath.Join(d.dir, name), []byte(text), 0o644); err != nil {
		d.Fatal(err)
	}
}

func (d *desk) read(name string) string {
	d.Helper()
	data, err := os.ReadFile(filepath.Join(d.dir, name))
	if err != nil {
		d.Fatal(err)
	}
	return string(data)
}

func (d *desk) command(args ...string) *exec.Cmd {
	c := exec.Command(molt, args...)
	c.Dir = d.dir
	c.Env = append(os.Environ(), "MOLT_REGISTRY_JS="+d.registry, "MOLT_CACHE="+d.cache, "MOLT_STATE="+d.state,
		"COLUMNS="+d.columns, "NO_COLOR=1", "MOLT_TOKEN_JS=", "MOLT_ALLOW_COMMANDS=all")
	return c
}

// run runs Molt and expects an exit code.
func (d *desk) run(want int, args ...string) (out, errout string) {
	d.Helper()
	c := d.command(args...)
	var stdout, stderr bytes.Buffer
	c.Stdout, c.Stderr = &stdout, &stderr
	err := c.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		d.Fatal(err)
	}
	if got := c.ProcessState.ExitCode(); got != want {
		d.Fatalf("molt %s exits with %d, want %d\n%s%s", strings.Join(args, " "), got, want, &stdout, &stderr)
	}
	return stdout.String(), stderr.String()
}

// golden compares what was printed with a file; times and versions of this machine are blotted out.
func (d *desk) golden(name, got string) {
	d.Helper()
	got = blot.ReplaceAllString(got, "$1")
	file := filepath.Join("testdata", name)
	if *update {
		if err := os.WriteFile(file, []byte(got), 0o644); err != nil {
			d.Fatal(err)
		}
	}
	want, err := os.ReadFile(file)
	if err != nil {
		d.Fatal(err)
	}
	if got != string(want) {
		d.Errorf("%s: the output has changed; -update takes it over\n%s", name, got)
	}
}

var blot = regexp.MustCompile(`(deployed), \S+ is on this machine|  \d+\.\d s\b|;\s+checks:\s+\d+\.\d s\b`)

// pipe makes a named pipe, into which a check writes a line, and a function that waits for that.
func (d *desk) pipe() (path string, wait func()) {
	path = filepath.Join(d.TempDir(), "pipe")
	if out, err := exec.Command("mkfifo", path).CombinedOutput(); err != nil {
		d.Skipf("no named pipes here: %s", out)
	}
	return path, func() {
		d.Helper()
		if _, err := os.ReadFile(path); err != nil {
			d.Fatal(err)
		}
	}
}

// atLength skips a test that repeats much of what others do, unless MOLT_SEEDS asks for it, as .ci/run does.
func atLength(t *testing.T) {
	if os.Getenv("MOLT_SEEDS") == "" {
		t.Skip("it takes as long as fifty others; MOLT_SEEDS=1 runs it")
	}
}
