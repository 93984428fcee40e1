package doc

// Init is "molt/init/1".
type Init struct {
	Schema  string `json:"schema"`
	File    string `json:"file"`
	Text    string `json:"text"`
	Written bool   `json:"written"`
	Open    string `json:"open,omitempty"` // what nobody could know
	Next    *Next  `json:"next,omitempty"`
}

// NeedsAttention reports whether something is left for people to say.
func (d Init) NeedsAttention() bool { return d.Open != "" }

// Settings is "molt/config/1".
type Settings struct {
	Schema    string    `json:"schema"`
	Ecosystem string    `json:"ecosystem,omitempty"` // where the application has several
	Settings  []Setting `json:"settings"`
}

// A Setting is a value that counts, and where it comes from.
type Setting struct {
	Key   string `json:"key"`
	Value string `json:"value"`
	From  string `json:"from"`
}

// NeedsAttention is false.
func (d Settings) NeedsAttention() bool { return false }
