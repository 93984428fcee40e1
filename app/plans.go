package app

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"molt/app/planfile"
	"molt/input"
	"slices"
	"strings"
)

// A planGoal is the goal that a text of the plan names.
type planGoal struct {
	plan []byte
	text string
}

// configured lists the goals of the configuration, without those of other sides.
func (a *App) configured() []string {
	return slices.DeleteFunc(strings.Fields(a.Config.Goal), func(text string) bool { return a.elsewhere(a.parseGoal(text).Name) })
}

// ReadPlan reads the plan of the application. Where it has several sides, the plans of the others must be readable too.
func (a *App) ReadPlan() (*planfile.Plan, error) {
	if _, err := a.plans(); err != nil {
		return nil, err
	}
	data, err := a.readPlanText()
	switch {
	case errors.Is(err, fs.ErrNotExist) && len(a.beside()) > 0:
		return nil, &input.UsageError{Reason: fmt.Sprintf("there is no %s with a plan for %s; molt plan makes one", planfile.File, a.Eco.Name())}
	case errors.Is(err, fs.ErrNotExist):
		return nil, &input.UsageError{Reason: fmt.Sprintf("there is no %s; molt plan makes one", planfile.File)}
	case err != nil:
		return nil, err
	}
	file, err := planfile.Read(planfile.File, data)
	if err != nil {
		return nil, err
	}
	for i := range file.Stages { // people edit names too
		for j := range file.Stages[i].Changes {
			c := &file.Stages[i].Changes[j]
			c.Name = a.Eco.Canonical(c.Name)
		}
	}
	return file, nil
}

// writePlanText puts a text of the plan on disk that was solved, and other files with it.
func (a *App) writePlanText(what string, data []byte, others map[string][]byte) error {
	whole, err := a.wholePlan(data)
	if err != nil {
		return err
	}
	files := map[string][]byte{planfile.File: whole}
	maps.Copy(files, others)
	if err := a.files.WriteFiles(what, files); err != nil {
		return err
	}
	return a.runner().RememberPlan(data)
}

// readPlanText reads the document of this side in the plan's file. The error is an fs.ErrNotExist where it has none.
func (a *App) readPlanText() ([]byte, error) {
	data, err := a.files.Read(planfile.File, input.Plan)
	if err != nil || len(a.beside()) == 0 {
		return data, err
	}
	if data = planfile.Document(data, a.Eco.Name()); data == nil {
		return nil, fs.ErrNotExist
	}
	return data, nil
}

// wholePlan returns the text of the plan's file with another document for this side.
func (a *App) wholePlan(part []byte) ([]byte, error) {
	if len(a.beside()) == 0 {
		return part, nil
	}
	data, err := a.files.Read(planfile.File, input.Plan)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	return planfile.WithDocument(data, a.Eco.Name(), part), nil
}
