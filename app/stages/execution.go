package stages

import (
	"context"

	"molt/app/layout"
	"molt/app/open"
	"molt/app/run"
)

// An Execution carries out stages of a plan, or tries them in copies of the application, for the
// time of one call. What is worth saying once a call is said with the first stage that it is about.
type Execution struct {
	// The application, as it is after the last stage that was carried out.
	*open.Question
	Watch run.Watcher

	site           *layout.Site
	toldNotLaidOut bool // that packages could not be laid out was said
	toldHiding     bool // so was what programs of packages hide
}

// NewExecution begins with the application as it stands. Whoever carries out stages has taken the
// folder for changing it.
func NewExecution(q *open.Question, watch run.Watcher) *Execution {
	return &Execution{Question: q, Watch: watch, site: layout.NewSite(q.Archives())}
}

// reread goes on with what was written.
func (a *Execution) reread(ctx context.Context) error {
	after, err := a.Again(ctx)
	if err != nil {
		return err
	}
	a.Question = after
	a.site = a.site.Again(after.Archives())
	return nil
}
