package ask

import "time"

// day writes a date, "" for none.
func day(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.UTC().Format(time.DateOnly)
}
