package python

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"molt/ecosystem"
)

// An interpreter is found behind one that stands for a version that is not there, and through the launcher.
func TestInterpreters(t *testing.T) {
	out, err := exec.Command("python3", "-c", "import sys; print(sys.executable)").Output()
	if err != nil || runtime.GOOS == "windows" {
		t.Skip("needs python3 and a POSIX shell")
	}
	usual := strings.TrimSpace(string(out))
	script := func(dir, name, text string) {
		if err := os.WriteFile(filepath.Join(dir, name), []byte("#!/bin/sh\n"+text+"\n"), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	shims, there, launcher := t.TempDir(), t.TempDir(), t.TempDir()
	script(shims, "python3", "echo 'version 3.99 is not installed' >&2; exit 127")
	script(there, "python3", "exec "+usual+` "$@"`)
	ctx := context.Background()
	t.Setenv("PATH", shims+string(filepath.ListSeparator)+there)
	h, err := Python{}.Probe(ctx, &ecosystem.Lock{})
	if err != nil {
		t.Fatalf("behind one that fails: %v", err)
	}
	minor := h.Detail.(*hostDetail).Markers["python_version"]
	script(launcher, "py", `test "$1" = "-`+minor+`" || exit 103; shift; exec `+usual+` "$@"`)
	t.Setenv("PATH", launcher)
	l := &ecosystem.Lock{Environments: []ecosystem.Environment{{Runtimes: map[string]string{runtimeName: minor}}}}
	if h, err = (Python{}).Probe(ctx, l); err != nil || h.Runtime == "" || filepath.Base(h.Runtime) == "py" {
		t.Errorf("through the launcher: %+v, %v", h, err)
	}
	t.Setenv("PATH", shims)
	if _, err = (Python{}).Probe(ctx, l); err == nil {
		t.Error("one that fails was taken")
	}
	t.Chdir(there)
	t.Setenv("PATH", ".")
	if _, err = (Python{}).Probe(ctx, &ecosystem.Lock{}); err == nil {
		t.Error("one in the folder was taken")
	}
}
