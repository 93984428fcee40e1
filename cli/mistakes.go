package cli

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"molt/input"
)

// goalCommands and nameCommands are the commands whose arguments are goals, and names without a version.
var (
	goalCommands = []string{"assess", "plan", "untangle", "fetch"}
	nameCommands = map[string]string{
		"dossier": "--to says up to which release", "trace": "it is about what is locked",
		"fit": "it tries the releases, the newest first", "drop": "", "hold": "it keeps the release that is locked"}
)

var (
	bareVersion = regexp.MustCompile(`^v?\d+(\.\d+)*$`)
	equals      = regexp.MustCompile(`^(@?[^=<>!~@\s]+)={1,2}v?(\d[^=]*)$`)
)

// meant are the commands that people look for under words of their own.
var meant = map[string][]string{
	"plan": {"upgrade", "update", "migrate"}, "survey": {"outdated", "status", "list"}, "want": {"add"},
	"drop": {"remove"}, "relock": {"lock"}, "trace": {"why"},
	"back": {"undo", "rollback"}, "trial": {"test", "try"},
}

var unknownWord = regexp.MustCompile(`^unknown command ("(?:[^"\\]|\\.)+")`)

// unknown says which command was meant in place of one that is not there.
func unknown(root *cobra.Command, err error) error {
	m := unknownWord.FindStringSubmatch(err.Error())
	if m == nil {
		return &input.UsageError{Reason: err.Error()}
	}
	word, _ := strconv.Unquote(m[1])
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
func mistaken(command string, args []string) error {
	says := func(format string, args ...any) error {
		return &input.UsageError{Reason: command + ": " + fmt.Sprintf(format, args...)}
	}
	goals := false
	for _, name := range goalCommands {
		goals = goals || name == command
	}
	tail, names := nameCommands[command]
	for i, arg := range args {
		at := strings.LastIndexByte(arg, '@')
		switch {
		case (goals || command == "want") && i > 0 && bareVersion.MatchString(arg) && !strings.Contains(args[i-1][1:], "@"):
			return says("a package and its version are one word: %s@%s", args[i-1], strings.TrimPrefix(arg, "v"))
		case (goals || command == "want") && equals.MatchString(arg):
			m := equals.FindStringSubmatch(arg)
			return says("%q: a package and its version have an @ between them: %s@%s", arg, m[1], m[2])
		case goals && strings.HasPrefix(arg, "@") && !strings.Contains(arg, "/"):
			return says("%q: expected the name of a package, and a major behind an @, such as brackwater@5", arg)
		case goals && at > 0 && (arg[at+1:] == "latest" || arg[at+1:] == "newest"):
			return says("%q: a goal names a major, such as %s@5; %s alone means the newest", arg, arg[:at], arg[:at])
		case names && at > 0:
			if tail != "" {
				return says("%q: expected a name without a version, %s; %s", arg, arg[:at], tail)
			}
			return says("%q: expected a name without a version, %s", arg, arg[:at])
		}
	}
	return nil
}
