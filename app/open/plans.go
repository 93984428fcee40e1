package open

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"

	"molt/app/planfile"
	"molt/input"
)

// ReadPlan reads the plan of the application. Where it has several sides, the plans of the others must be readable too.
func (a *View) ReadPlan() (*planfile.Plan, error) {
	if _, err := plans(a); err != nil {
		return nil, err
	}
	data, err := a.ReadPlanText()
	switch {
	case errors.Is(err, fs.ErrNotExist) && len(a.OtherSides()) > 0:
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("there is no %s with a plan for %s; molt plan makes one", planfile.File, a.Eco.Name())}
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
			c.Name = a.Canonical(c.Name)
		}
	}
	return file, nil
}

// WritePlanText puts a text of the plan on disk that was solved, and other files with it.
func WritePlanText(a *View, what string, data []byte, others map[string][]byte) error {
	whole, err := WholePlan(a, data)
	if err != nil {
		return err
	}
	files := map[string][]byte{planfile.File: whole}
	maps.Copy(files, others)
	if err := a.Files.WriteFiles(what, files); err != nil {
		return err
	}
	return a.Runner().RememberPlan(data)
}

// ReadPlanText reads the document of this side in the plan's file. The error is an fs.ErrNotExist where it has none.
func (a *View) ReadPlanText() ([]byte, error) {
	data, err := a.Files.Read(planfile.File, input.Plan)
	if err != nil || len(a.OtherSides()) == 0 {
		return data, err
	}
	if data = planfile.Document(data, a.Eco.Name()); data == nil {
		return nil, fs.ErrNotExist
	}
	return data, nil
}

// WholePlan returns the text of the plan's file with another document for this side.
func WholePlan(a *View, part []byte) ([]byte, error) {
	if len(a.OtherSides()) == 0 {
		return part, nil
	}
	data, err := a.Files.Read(planfile.File, input.Plan)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	return planfile.WithDocument(data, a.Eco.Name(), part), nil
}

// plans reads the plans of all sides, each of which has to be one that can be read.
func plans(a *View) (map[string]*planfile.Plan, error) {
	if len(a.OtherSides()) == 0 {
		return nil, nil
	}
	data, err := a.Files.Read(planfile.File, input.Plan)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	return planfile.Stream(data, sideNames(a))
}
