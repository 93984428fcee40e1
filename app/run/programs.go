package run

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
)

// Commands find the programs of the packages that the application declares before those of the
// system. They do not find those of other packages: a package that nobody declared could call its
// program "git".

// A Program is what a package gives people to run.
type Program struct {
	Name string
	File string // relative to the application
	Of   string // the package, "" for the runtime of the environment itself
}

// reserved are names that no package may have: the shell by which every command runs, and what
// commands take for granted to be the system's.
var reserved = []string{"sh", "bash", "dash", "zsh", "env", "git", "molt", "sudo", "ssh", "cmd", "powershell"}

// Hiding sorts out the programs that have the name of another on this machine: those that are left
// out, and those that come before it, each with what to say of it. More names are reserved for the
// runtimes of the application.
func Hiding(programs []Program, runtimes []string) (kept []Program, says []string) {
	for _, p := range programs {
		if p.Of == "" {
			kept = append(kept, p)
			continue
		}
		name := strings.ToLower(strings.TrimSuffix(p.Name, filepath.Ext(p.Name)))
		if slices.Contains(reserved, name) || slices.Contains(runtimes, name) {
			says = append(says, fmt.Sprintf("%s has a program called %s, which commands do not find: the name is the system's",
				p.Of, p.Name))
			continue
		}
		kept = append(kept, p)
		if file, err := exec.LookPath(p.Name); err == nil {
			says = append(says, fmt.Sprintf("commands find the program %s of %s before %s", p.Name, p.Of, file))
		}
	}
	return kept, says
}

// programFolder makes a folder with a way to each program of the application in a folder. The
// caller takes it away; "" for no programs.
func (r Runner) programFolder(dir string) (string, error) {
	if r.Programs == nil {
		return "", nil
	}
	programs := r.Programs(dir)
	if len(programs) == 0 {
		return "", nil
	}
	at, err := os.MkdirTemp("", "molt-programs-")
	if err != nil {
		return "", err
	}
	for _, p := range programs {
		target := filepath.Join(dir, filepath.FromSlash(p.File))
		name, text := p.Name, "#!/bin/sh\nexec '"+strings.ReplaceAll(target, "'", `'\''`)+"' \"$@\"\n"
		if runtime.GOOS == "windows" {
			name, text = strings.TrimSuffix(p.Name, filepath.Ext(p.Name))+".cmd", "@\""+target+"\" %*\r\n"
		}
		if filepath.Base(name) != name {
			continue
		}
		if err := os.WriteFile(filepath.Join(at, name), []byte(text), 0o755); err != nil {
			_ = os.RemoveAll(at)
			return "", err
		}
	}
	return at, nil
}
