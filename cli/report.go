package cli

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"molt/ask"
	"molt/doc"
	"molt/input"
	"molt/render/html"
	"molt/render/md"
	"molt/render/words"
)

func (c *call) report() command {
	var file string
	var force bool
	cmd := &cobra.Command{
		Use:   "report [GOAL]...",
		Short: "Put everything about the application on one page",
		Long: `Report writes one page to hand on: the application in a sentence, the way to the goal drawn stage by stage, what is in the
way and the ways out, the standing of every package with its evidence, what was carried out and how far behind the
application was over time. It is one HTML file that needs no network; --format md gives it for the description of a
change, --format json as a document. Without GOAL, that of the plan counts, or else the one in molt.yaml.

Without --output the page goes to standard output.`,
		Example: "  molt report --output report.html\n  molt report --format md",
	}
	run := func(c *call, args []string) error {
		if file != "" {
			if err := c.writable("--output", file, force, isReport); err != nil {
				return err
			}
		}
		all, err := c.reports(args)
		if err != nil {
			return err
		}
		words.Fill(&all)
		b := &bytes.Buffer{}
		switch c.format {
		case "json":
			if len(all) == 1 {
				err = doc.JSON(b, all[0])
			} else {
				sides := struct {
					Schema string       `json:"schema"`
					Sides  []doc.Report `json:"sides"`
				}{"molt/sides/1", all}
				err = doc.JSON(b, sides)
			}
			if err != nil {
				return err
			}
		case "md":
			for _, d := range all {
				if err := md.Report(b, d); err != nil {
					return err
				}
			}
		default:
			if err := html.Report(b, all); err != nil {
				return err
			}
		}
		if file == "" {
			_, err = c.out.Write(b.Bytes())
			return err
		}
		if err := marked(b, c.format); err != nil {
			return err
		}
		if err := writeWhole(file, b.Bytes()); err != nil {
			return &input.UsageError{Reason: fmt.Sprintf("--output %s: %s", file, input.Cause(err))}
		}
		at, err := filepath.Abs(file)
		if err != nil {
			at = file
		}
		c.say("%s is written, %d kB", at, (b.Len()+999)/1000)
		return nil
	}
	cmd.Flags().StringVar(&file, "output", "", "write it to this file, which must be new or a report")
	cmd.Flags().BoolVar(&force, "force", false, "with --output, replace another file")
	return command{Command: cmd, run: run, takes: asks, formats: []string{"html", "md"}, operand: goals}
}

// writeWhole writes a file, which is there whole or as it was.
func writeWhole(file string, data []byte) error {
	f, err := os.CreateTemp(filepath.Dir(file), "."+filepath.Base(file)+"-*")
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	if err = errors.Join(err, f.Chmod(0o644), f.Close()); err == nil {
		err = os.Rename(f.Name(), file)
	}
	if err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	return nil
}

// reports makes one for each side of the application; goals lead to the sides that they are of.
func (c *call) reports(goals []string) (all []doc.Report, err error) {
	parts, err := ask.FolderOf(c.asking()).Parts(ask.Named, goals)
	if err != nil {
		return nil, err
	}
	err = ask.Over(parts, func(p ask.Part) error {
		return c.on(p).session(ask.Needs{Dated: true, Declared: true, Goals: p.Args}, func(s *ask.Session) error {
			d, err := s.Report(c.ctx, p.Args)
			all = append(all, d)
			s.Still()
			return err
		})
	})
	return all, err
}
