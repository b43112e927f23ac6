package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/rule"
	"jobshelf/internal/demo"
)

// mostRuleBytes bounds a file of rules or of facts.
const mostRuleBytes = 64 << 20

func rules(_ context.Context, args []string, out, _ io.Writer) (int, error) {
	var rulesFile, factsFile string
	var asJSON bool
	words, err := split(args, map[string]*string{"rules": &rulesFile, "facts": &factsFile}, map[string]*bool{"json": &asJSON})
	if err != nil || len(words) != 1 || words[0] != "try" || rulesFile == "" || factsFile == "" {
		return 2, errUsage
	}
	var of []rule.Rule
	var past []rule.Past
	if err := errors.Join(readJSON(rulesFile, &of), readJSON(factsFile, &past)); err != nil {
		return 2, err
	}
	speak := finding.Speak(demo.House().Locale)
	for i := range of {
		for _, bad := range of[i].Check() {
			return 2, fmt.Errorf("%s, rule %d, %s: %s", rulesFile, i+1, bad.Field, speak.Say(bad.Phrase))
		}
	}
	tried := rule.Try(of, past)
	if asJSON {
		return 0, writeJSON(out, tried)
	}
	for i, t := range tried {
		fmt.Fprintf(out, "%s (%s when %s): would have raised %d of %d\n", t.Rule, of[i].Grade, speak.Say(of[i].When.Sentence()), len(t.Held), t.Of)
		for _, line := range [][]string{t.Held, t.Unknown} {
			if len(line) > 0 {
				fmt.Fprintf(out, "  %s\n", strings.Join(line, ", "))
			}
		}
	}
	return 0, nil
}

// readJSON reads a file that holds one value and nothing else that is known.
func readJSON(name string, into any) error {
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	d := json.NewDecoder(io.LimitReader(f, mostRuleBytes))
	d.DisallowUnknownFields()
	if err := d.Decode(into); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	return nil
}
