package cli

import (
	"fmt"
	"regexp"
	"strings"

	"molt/input"
)

// goalCommands and nameCommands are the commands whose arguments are goals, and names without a version.
var (
	goalCommands = []string{"assess", "plan", "untangle", "fetch"}
	nameCommands = map[string]string{"dossier": "--to says up to which release", "trace": "it is about what is locked", "fit": "it tries the releases, the newest first", "drop": "", "hold": "it keeps the release that is locked"}
)

var (
	bareVersion = regexp.MustCompile(`^v?\d+(\.\d+)*$`)
	equals      = regexp.MustCompile(`^(@?[^=<>!~@\s]+)={1,2}v?(\d[^=]*)$`)
)

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
