package config

// A Task is a step that belongs to a change: code to generate again, a settings file to migrate. It
// runs before the checks of every stage that moves one of its packages; the files that it changes
// are part of the stage.
type Task struct {
	Name   string            `yaml:"name"`
	With   []string          `yaml:"with"` // packages
	Run    string            `yaml:"run"`
	Limit  string            `yaml:"limit"`
	Folder string            `yaml:"folder"`
	Env    map[string]string `yaml:"env"`
	Pass   []string          `yaml:"pass"`
}

// Check returns the task as a check, so that it is run like one.
func (t Task) Check() Check {
	return Check{Name: t.Name, Run: t.Run, Limit: t.Limit, Folder: t.Folder, Env: t.Env, Pass: t.Pass}
}
