package run

import (
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"molt/app/config"
)

// everyProgram are the variables that programs need to find their way about, wherever they run.
// What a command runs is the packages' code too, so it sees these and no others: not keys of
// clouds, not tokens.
var everyProgram = []string{
	"PATH", "HOME", "USER", "LOGNAME", "SHELL", "LANG", "LANGUAGE", "TZ", "TMPDIR", "TMP", "TEMP", "TERM", "COLORTERM",
	"NO_COLOR", "COLUMNS", "CI",
	"SYSTEMROOT", "SYSTEMDRIVE", "WINDIR", "COMSPEC", "PATHEXT", "USERPROFILE", "APPDATA", "LOCALAPPDATA", "PROGRAMDATA",
	"PROGRAMFILES",
}

// Molt's own settings go along, for a check that calls Molt; not its tokens, nor what allows anything.
const (
	ownPrefix   = "MOLT_"
	allowPrefix = "MOLT_ALLOW_"
)

// seen reports whether a job sees a variable of this process.
func (r Runner) seen(name string, j Job) bool {
	if slices.Contains(j.Pass, name) || slices.Contains(r.Variables, name) {
		return true
	}
	upper := strings.ToUpper(name) // some systems do not tell the cases apart
	if strings.HasPrefix(upper, ownPrefix) {
		return !strings.HasPrefix(upper, config.TokenPrefix) && !strings.HasPrefix(upper, allowPrefix)
	}
	return slices.Contains(everyProgram, upper) || strings.HasPrefix(upper, "LC_")
}

// environment returns the variables of a job, which finds what is in a folder of programs first; "" for none.
func (r Runner) environment(j Job, programs string) []string {
	var env []string
	for _, entry := range os.Environ() {
		if name, _, _ := strings.Cut(entry, "="); r.seen(name, j) {
			env = append(env, entry)
		}
	}
	if self, err := os.Executable(); err == nil {
		env = append(env, "MOLT="+self)
	}
	env = append(env, "MOLT_STAGE="+j.Stage, runVariable+"="+r.Files.Run)
	var paths []string
	if programs != "" {
		paths = append(paths, programs)
	}
	for _, folder := range r.Executables {
		paths = append(paths, filepath.Join(j.Dir, filepath.FromSlash(folder)))
	}
	if paths != nil {
		env = append(env, "PATH="+strings.Join(append(paths, os.Getenv("PATH")), string(os.PathListSeparator)))
	}
	if r.Environment != "" {
		env = append(env, "VIRTUAL_ENV="+filepath.Join(j.Dir, filepath.FromSlash(r.Environment)))
	}
	if r.Raised != "" {
		env = append(env, RaisedVariable+"="+r.Raised)
	}
	for _, name := range slices.Sorted(maps.Keys(j.Env)) {
		env = append(env, name+"="+j.Env[name])
	}
	return env
}
