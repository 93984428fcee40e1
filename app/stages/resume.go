package stages

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"

	"molt/app/open"
	"molt/app/planfile"
	"molt/app/run"
)

// trialKeys names, for each of some stages that are tried one after the other, all that its verdict
// depends on: the files that people keep, the runtime of this machine, and what the stages up to it
// put in, run and check. Where nothing of that has changed, a trial need not be repeated.
func (a *Execution) trialKeys(ctx context.Context, steps []*rehearsed) ([]string, error) {
	sum := sha256.New()
	names, err := a.Runner().Sources(ctx)
	if err != nil {
		return nil, err
	}
	for _, name := range names {
		if name == planfile.File { // the stages themselves say what is done
			continue
		}
		f, err := os.Open(a.Path(filepath.FromSlash(name)))
		if errors.Is(err, fs.ErrNotExist) { // git lists it as long as nobody says that it is gone
			fmt.Fprintf(sum, "%q\n", name)
			continue
		}
		if err != nil {
			return nil, err
		}
		one := sha256.New()
		_, err = io.Copy(one, f)
		f.Close()
		if err != nil {
			return nil, err
		}
		fmt.Fprintf(sum, "%q %x\n", name, one.Sum(nil))
	}
	runtime, version := a.RuntimeHere(ctx)
	fmt.Fprintf(sum, "%s %s %v\n", runtime, version, a.site.LaysOut())
	var keys []string
	for _, s := range steps {
		for _, name := range slices.Sorted(maps.Keys(s.files)) {
			fmt.Fprintf(sum, "%q %x\n", name, sha256.Sum256(s.files[name]))
		}
		judges, err := json.Marshal([]any{s.id, s.tasks, s.checks})
		if err != nil {
			return nil, err
		}
		sum.Write(judges)
		keys = append(keys, hex.EncodeToString(sum.Sum(nil)))
	}
	return keys, nil
}

// passedEarlier notes which of the first stages passed in an earlier trial of the same, and returns how many.
func passedEarlier(a *open.View, b *Trial, steps []*rehearsed, keys []string) (int, error) {
	c, err := a.Runner().Remembered()
	if err != nil {
		return 0, err
	}
	for k, key := range keys {
		i := slices.IndexFunc(c.Tried, func(t run.Tried) bool { return t.Key == key })
		if i < 0 {
			return k, nil
		}
		b.Verdicts, b.Passed = c.Tried[i].Verdicts, true
		b.Each = append(b.Each, StageTrial{
			Stage: steps[k].id, Verdicts: b.Verdicts, Passed: true, Took: c.Tried[i].Took, Earlier: true})
	}
	return len(keys), nil
}
