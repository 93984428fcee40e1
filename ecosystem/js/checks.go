package js

import (
	"io/fs"
	"slices"

	"github.com/tidwall/gjson"

	"molt/ecosystem"
	"molt/input"
)

// judging are names that scripts have which judge an application, in the order in which they are to run.
var judging = []string{"check", "types", "typecheck", "lint", "test", "smoke"}

// Checks lists the scripts of the manifest that judge the application, by their names.
func (JS) Checks(dir fs.FS) (all []ecosystem.Check) {
	data, err := input.ReadFS(dir, JS{}.Manifest(), input.Manifest)
	if err != nil || input.JSONDepth(JS{}.Manifest(), data) != nil || !gjson.ValidBytes(data) {
		return nil
	}
	gjson.GetBytes(data, "scripts").ForEach(func(name, run gjson.Result) bool {
		if slices.Contains(judging, name.String()) && run.Type == gjson.String && run.String() != "" {
			all = append(all, ecosystem.Check{Name: name.String(), Run: run.String()})
		}
		return true
	})
	slices.SortFunc(all, func(a, b ecosystem.Check) int {
		return slices.Index(judging, a.Name) - slices.Index(judging, b.Name)
	})
	return all
}

// ScriptFolder is the folder of executables.
func (JS) ScriptFolder() string { return modules + "/" + executables }
