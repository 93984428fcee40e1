package ask

import "net/http"

// Relay returns a registry of what the lock holds, or what that of a stage does, with the number of its packages.
func (s *Session) Relay(stage string, through bool) (http.Handler, int, error) {
	handler, count, err := s.App.Relay(s.ctx, s.Source, stage, through)
	if err != nil {
		return nil, 0, s.explain(err)
	}
	return handler, count, nil
}
