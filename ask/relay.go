package ask

import (
	"context"
	"net/http"

	"molt/app/layout"
)

// Relay returns a registry of what the lock holds, or what that of a stage does, with the number of its packages.
func (s *Session) Relay(ctx context.Context, stage string, through bool) (http.Handler, int, error) {
	handler, count, err := layout.Relay(ctx, s.App, stage, through)
	if err != nil {
		return nil, 0, s.explain(ctx, err)
	}
	return handler, count, nil
}
