package js

import (
	"os"
	"path"
	"path/filepath"
	"strings"

	"github.com/tidwall/gjson"

	"molt/input"
)

// Executables reads "bin" of a release's manifest: an object of names and files, or one file, which
// gets the name of the package without its scope.
func (JS) Executables(name string, manifest []byte) map[string]string {
	if input.JSONDepth("package.json", manifest) != nil || !gjson.ValidBytes(manifest) {
		return nil
	}
	return programsIn(name, gjson.GetBytes(manifest, "bin"))
}

// programsIn reads "bin" of a package, in its manifest or in what a registry says of a release.
func programsIn(name string, bin gjson.Result) map[string]string {
	all := map[string]string{}
	add := func(name, file string) {
		file = path.Clean(strings.TrimPrefix(file, "./"))
		plain := name != "" && !strings.HasPrefix(name, ".") &&
			!strings.ContainsFunc(name, func(c rune) bool {
				return c <= ' ' || c == 0x7f || strings.ContainsRune(`/\:*?"<>|`, c)
			})
		if plain && file != "." && file != ".." && !strings.HasPrefix(file, "../") && !path.IsAbs(file) &&
			!strings.ContainsAny(file, "\\:\x00") {
			all[name] = file
		}
	}
	switch {
	case bin.Type == gjson.String:
		add(path.Base(name), bin.String())
	case bin.IsObject():
		bin.ForEach(func(name, file gjson.Result) bool {
			if file.Type == gjson.String {
				add(path.Base(name.String()), file.String())
			}
			return true
		})
	}
	return all
}

// buildSteps are the scripts that the runtime's tools would run when they install a package.
var buildSteps = []string{"preinstall", "install", "postinstall"}

// BuildSteps names those of a release's scripts that are to run when it is installed.
func (JS) BuildSteps(manifest []byte) (all []string) {
	if input.JSONDepth("package.json", manifest) != nil || !gjson.ValidBytes(manifest) {
		return nil
	}
	return stepsIn(gjson.GetBytes(manifest, "scripts"))
}

func stepsIn(scripts gjson.Result) (all []string) {
	for _, step := range buildSteps {
		if text := scripts.Get(step); text.Type == gjson.String && text.String() != "" {
			all = append(all, step)
		}
	}
	return all
}

// scriptVariables begins the names of the variables that such scripts find by convention, whichever program runs them.
const scriptVariables = "npm" + "_"

// BuildCommand returns a script, with the variables that the runtime's tools set for it by
// convention: what it is called, for which package, where the application is; and with the
// executables of what it needs before others.
func (JS) BuildCommand(app, folder string, manifest []byte, step string) (run string, env map[string]string) {
	var bins []string
	for at := folder; ; at = filepath.Dir(at) {
		if filepath.Base(at) != modules {
			bins = append(bins, filepath.Join(at, modules, executables))
		}
		if at == app || at == filepath.Dir(at) {
			break
		}
	}
	run = gjson.GetBytes(manifest, "scripts."+step).String()
	return run, map[string]string{
		"INIT_CWD":                           app,
		scriptVariables + "lifecycle_event":  step,
		scriptVariables + "lifecycle_script": run,
		scriptVariables + "package_name":     gjson.GetBytes(manifest, "name").String(),
		scriptVariables + "package_version":  gjson.GetBytes(manifest, "version").String(),
		"PATH":                               strings.Join(append(bins, os.Getenv("PATH")), string(os.PathListSeparator)),
	}
}
