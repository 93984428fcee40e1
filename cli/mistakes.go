package cli

import (
	"fmt"
	"regexp"
	"strings"

	"github.com/spf13/cobra"

	"molt/input"
)

var (
	bareVersion = regexp.MustCompile(`^v?\d+(\.\d+)*$`)
	equals      = regexp.MustCompile(`^(@?[^=<>!~@\s]+)={1,2}v?(\d[^=]*)$`)
)

// unknown says which command was meant in place of one that is not there.
func unknown(root *cobra.Command, words []string) error {
	if len(words) == 0 {
		return nil
	}
	word := words[0]
	if strings.LastIndexByte(word, '@') > 0 {
		return &input.UsageError{Reason: fmt.Sprintf(
			"%q is a goal, and a command comes before it: molt assess %[2]s says what it means, molt plan %[2]s cuts the way "+
				"there", word, word)}
	}
	root.SuggestionsMinimumDistance = min(2, len(word)/3)
	says := "molt --help lists the commands"
	if near := root.SuggestionsFor(word); len(near) > 0 {
		says = "did you mean molt " + strings.Join(near, " or molt ") + "?"
	}
	return &input.UsageError{Reason: fmt.Sprintf("unknown command %q; %s", word, says)}
}

// mistaken puts right what people write who do not know yet how packages and goals are written.
func (cmd command) mistaken(args []string) error {
	says := func(format string, args ...any) error {
		return &input.UsageError{Reason: cmd.Name() + ": " + fmt.Sprintf(format, args...)}
	}
	o := cmd.operand
	for i, arg := range args {
		at := strings.LastIndexByte(arg, '@')
		switch {
		case (o.goal || o.versioned) && i > 0 && bareVersion.MatchString(arg) && !strings.Contains(args[i-1][1:], "@"):
			return says("a package and its version are one word: %s@%s", args[i-1], strings.TrimPrefix(arg, "v"))
		case (o.goal || o.versioned) && equals.MatchString(arg):
			m := equals.FindStringSubmatch(arg)
			return says("%q: a package and its version have an @ between them: %s@%s", arg, m[1], m[2])
		case o.goal && strings.HasPrefix(arg, "@") && !strings.Contains(arg, "/"):
			return says("%q: expected the name of a package, and a major behind an @, such as brackwater@5", arg)
		case o.goal && at > 0 && (arg[at+1:] == "latest" || arg[at+1:] == "newest"):
			return says("%q: a goal names a major, such as %s@5; %s alone means the newest", arg, arg[:at], arg[:at])
		case o.bare && at > 0:
			if o.instead != "" {
				return says("%q: expected a name without a version, %s; %s", arg, arg[:at], o.instead)
			}
			return says("%q: expected a name without a version, %s", arg, arg[:at])
		}
	}
	return nil
}
