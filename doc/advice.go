package doc

// Guides is "molt/advice/1".
type Guides struct {
	Schema string       `json:"schema"`
	Files  []AdviceFile `json:"files"`
}

// An AdviceFile is a file of what an upgrade guide says.
type AdviceFile struct {
	File      string       `json:"file"`
	About     string       `json:"about"`
	To        string       `json:"to"`
	Ecosystem string       `json:"ecosystem"` // "" for any
	Facts     []AdviceFact `json:"facts"`
	Warnings  []string     `json:"warnings"` // facts that were left out
}

// An AdviceFact is one statement.
type AdviceFact struct {
	Kind       string   `json:"kind"`
	Says       Sentence `json:"says"`
	Source     string   `json:"source"`
	Confidence string   `json:"confidence"`
}
