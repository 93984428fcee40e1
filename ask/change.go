package ask

import (
	"molt/app"
	"molt/doc"
)

// NewChange makes the document of a change of the manifest.
func NewChange(e *app.Effect, uses []app.Use, remarks []string, written bool) doc.Change {
	answer := doc.Change{Schema: "molt/change/1", Written: written, Changes: []doc.PlanChange{}, Lock: NewCompare("", "", e.Differences).Differences, Uses: []doc.Use{}, Remarks: append([]string{}, remarks...)}
	for _, c := range e.Changes {
		change := doc.PlanChange{Name: c.Name, Group: c.Group, From: planPoint(c.From), To: planPoint(c.To)}
		if change.From != nil && change.To != nil {
			change.Jump = c.Jump.String()
		}
		answer.Changes = append(answer.Changes, change)
	}
	for _, u := range uses {
		answer.Uses = append(answer.Uses, doc.Use(u))
	}
	return answer
}
