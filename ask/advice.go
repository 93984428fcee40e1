package ask

import (
	"os"
	"path"
	"path/filepath"

	"molt/app/advice"
	"molt/app/open"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
)

// Advice reads advice files, and those of folders, and says what is in them. What is broken is an *input.PositionError.
func Advice(e ecosystem.Ecosystem, names []string) (doc.Guides, error) {
	answer := doc.Guides{Schema: "molt/advice/1", Files: []doc.AdviceFile{}}
	for _, name := range names {
		files := []string{name}
		if info, err := os.Stat(name); err == nil && info.IsDir() {
			entries, err := os.ReadDir(name)
			if err != nil {
				return answer, err
			}
			files = nil
			for _, entry := range entries {
				if advice.Named(entry.Name()) {
					files = append(files, path.Join(filepath.ToSlash(name), entry.Name()))
				}
			}
		}
		for _, file := range files {
			data, err := input.ReadFile(file, input.Advice)
			if err != nil {
				return answer, &input.UsageError{Reason: input.InWords(err)}
			}
			g, warnings, err := advice.Decode(file, data, e, nil)
			if err == nil && g.Ecosystem != "" && g.Ecosystem != e.Name() {
				var other ecosystem.Ecosystem
				if other, err = open.Named(g.Ecosystem); err == nil {
					g, warnings, err = advice.Decode(file, data, other, nil)
				}
			}
			if err != nil {
				return answer, err
			}
			one := doc.AdviceFile{File: file, About: g.About, To: g.To, Ecosystem: g.Ecosystem, Facts: []doc.AdviceFact{},
				Warnings: append([]string{}, warnings...)}
			for _, f := range g.Advice {
				one.Facts = append(one.Facts, doc.AdviceFact{
					Kind: string(f.Kind), Says: doc.SentenceOf(f.Said()), Source: f.Source, Confidence: string(f.Confidence)})
			}
			answer.Files = append(answer.Files, one)
		}
	}
	return answer, nil
}
