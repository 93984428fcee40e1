package userstate

import (
	"errors"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"

	"molt/input"
)

func in(dir string) State {
	return State{Env: func(name string) string { return map[string]string{"MOLT_STATE": dir}[name] }}
}

// A seal is known again on this machine, for its kind and its data alone, and nowhere else.
func TestSeals(t *testing.T) {
	u := in(filepath.Join(t.TempDir(), "state"))
	if u.Sealed("record", []byte("a"), strings.Repeat("0", 64)) {
		t.Error("without a key something is sealed")
	}
	seal, err := u.Seal("record", []byte("a"))
	if err != nil || !u.Sealed("record", []byte("a"), seal) {
		t.Fatalf("%q is not known again: %v", seal, err)
	}
	for _, test := range [][2]string{{"consent", "a"}, {"record", "b"}, {"record", ""}} {
		if u.Sealed(test[0], []byte(test[1]), seal) {
			t.Errorf("%s of %q has the seal of another", test[0], test[1])
		}
	}
	if in(t.TempDir()).Sealed("record", []byte("a"), seal) {
		t.Error("another machine knows the seal")
	}
}

// Those who make the key at the same time agree on one, which nobody else can read.
func TestOneKey(t *testing.T) {
	dir := t.TempDir()
	seals := make([]string, 8)
	var all sync.WaitGroup
	for i := range seals {
		all.Go(func() { seals[i], _ = in(dir).Seal("x", nil) })
	}
	all.Wait()
	if slices.Sort(seals); seals[0] == "" || seals[0] != seals[len(seals)-1] {
		t.Errorf("the seals are %q", seals)
	}
	info, err := os.Stat(filepath.Join(dir, "key"))
	if err != nil || runtime.GOOS != "windows" && info.Mode().Perm()&0o077 != 0 {
		t.Errorf("the key is %v, %v", info, err)
	}
	if left, _ := filepath.Glob(filepath.Join(dir, "key-*")); len(left) > 0 {
		t.Errorf("left behind: %q", left)
	}
	if err := os.WriteFile(filepath.Join(dir, "key"), []byte("short"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := in(dir).Seal("x", nil); err == nil || !strings.Contains(err.Error(), "no key of Molt's") {
		t.Errorf("a key that is none: %v", err)
	}
}

func TestConsents(t *testing.T) {
	u := in(filepath.Join(t.TempDir(), "state"))
	if known, err := u.Consents([]string{"a"}); err != nil || known[0] {
		t.Errorf("at first %v, %v", known, err)
	}
	if err := errors.Join(u.Consent([]string{"a", "b"}), u.Consent([]string{"c"})); err != nil {
		t.Fatal(err)
	}
	known, err := u.Consents([]string{"c", "x", "a"})
	if err != nil || !slices.Equal(known, []bool{true, false, true}) {
		t.Errorf("then %v, %v", known, err)
	}
}

func TestAllowedRegistries(t *testing.T) {
	u := in(filepath.Join(t.TempDir(), "state"))
	for range 2 { // once is enough
		if err := u.Allow("https://registry.skerry.example"); err != nil {
			t.Fatal(err)
		}
	}
	for address, want := range map[string]bool{"https://registry.skerry.example": true, "https://registry.skerry": false} {
		if allowed, err := u.Allows(address); err != nil || allowed != want {
			t.Errorf("%s: %v, %v", address, allowed, err)
		}
	}
	dir, _ := u.dir()
	if data, err := os.ReadFile(filepath.Join(dir, allowedFile)); err != nil || strings.Count(string(data), "\n") != 1 {
		t.Errorf("the file has %q, %v", data, err)
	}
}

// The folder is the one that variables name, and nobody else may write to it.
func TestFolder(t *testing.T) {
	xdg := t.TempDir()
	u := State{Env: func(name string) string { return map[string]string{"XDG_STATE_HOME": xdg}[name] }}
	if dir, err := u.dir(); err != nil || dir != filepath.Join(xdg, "molt") {
		t.Errorf("%q, %v", dir, err)
	}
	t.Setenv("MOLT_STATE", xdg)
	if dir, err := (State{}).dir(); err != nil || dir != xdg {
		t.Errorf("%q, %v", dir, err)
	}
	t.Setenv("HOME", xdg)
	if dir, err := (State{Env: func(string) string { return "" }}).dir(); err != nil || !strings.HasPrefix(dir, xdg) {
		t.Errorf("%q, %v", dir, err)
	}
	file := filepath.Join(xdg, "file")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	var usage *input.UsageError
	if err := Own(file, "MOLT_CACHE"); !errors.As(err, &usage) || !strings.Contains(err.Error(), "set MOLT_CACHE") {
		t.Errorf("a file: %v", err)
	}
	if err := errors.Join(Own(filepath.Join(xdg, "none"), ""), Own("", ""), in(xdg).Own()); err != nil {
		t.Errorf("what is fine: %v", err)
	}
	if runtime.GOOS == "windows" {
		return
	}
	if err := os.Chmod(xdg, 0o777); err != nil {
		t.Fatal(err)
	}
	if err := in(xdg).Own(); !errors.As(err, &usage) || !strings.Contains(err.Error(), "chmod go-w") {
		t.Errorf("a folder of everybody: %v", err)
	}
}
