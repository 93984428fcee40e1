package input

// A UsageError is a mistake of the caller's: the call, or a file that people write.
type UsageError struct{ Reason string }

func (e *UsageError) Error() string { return e.Reason }
