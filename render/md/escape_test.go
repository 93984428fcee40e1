package md

import "testing"

func TestEscape(t *testing.T) {
	for text, want := range map[string]string{
		"@skerry/words": "@<!-- -->skerry/words", "a|b": "a\\|b", "<b>": "&lt;b>", "no mention": "no mention",
		"brackwater@5": "brackwater@<!-- -->5"} {
		if got := escapeMarkdown(text); got != want {
			t.Errorf("%s becomes %s, want %s", text, got, want)
		}
	}
}
