package doc

// A Next is the command to go on with.
type Next struct {
	Run string `json:"run"`
	Why string `json:"why"` // what it is for
}
