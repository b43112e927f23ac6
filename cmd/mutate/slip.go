package main

import (
	"fmt"
	"math/rand/v2"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// slips are what goes wrong in a line when somebody writes in a hurry: each makes others of
// a line, none where it does not fit. Strings are blanked in what they match against.
var slips = []func(line, masked string) []string{
	tokens(`(<=|>=|==|!=|&&|\|\|)`, map[string]string{"<=": "<", ">=": ">", "==": "!=", "!=": "==", "&&": "||", "||": "&&"}),
	tokens(`[^<=-]( < | > )`, map[string]string{" < ": " <= ", " > ": " >= "}),
	tokens(`(?:[\w)\]]([-+*/])[\w(]|[\w)\]] ([-+*/]) [\w(])`, map[string]string{"+": "-", "-": "+", "*": "/", "/": "*"}),
	tokens(`([+*/-]=|\+\+)`, map[string]string{"+=": "-=", "-=": "+=", "*=": "/=", "/=": "*=", "++": "--"}),
	tokens(`\b(true|false|break|continue|min|max|Floor|Ceil|first|last)\b`, map[string]string{
		"true": "false", "false": "true", "break": "continue", "continue": "break", "min": "max", "max": "min", "Floor": "Ceil", "Ceil": "Floor",
		"first": "last", "last": "first",
	}),
	tokens(`(!)[\w(]`, map[string]string{"!": ""}),
	numbers,
	negated,
	swapped,
	dropped,
	texts,
}

// tokens makes one line of each place where the first group of a pattern is one of a table.
func tokens(pattern string, becomes map[string]string) func(line, masked string) []string {
	re := regexp.MustCompile(pattern)
	return func(line, masked string) []string {
		var out []string
		for at := 0; at < len(masked); {
			m := re.FindStringSubmatchIndex(masked[at:])
			if m == nil {
				break
			}
			if m[2] < 0 {
				m = m[2:]
			}
			a, b := at+m[2], at+m[3]
			if to, ok := becomes[masked[a:b]]; ok {
				out = append(out, line[:a]+to+line[b:])
			}
			at = b
		}
		return out
	}
}

var number = regexp.MustCompile(`(?:^|[^\w.])(\d+(?:\.\d+)?)(?:[^\w.]|$)`)

func numbers(line, masked string) []string {
	var out []string
	for _, m := range number.FindAllStringSubmatchIndex(masked, -1) {
		v, err := strconv.ParseFloat(line[m[2]:m[3]], 64)
		if err != nil {
			continue
		}
		to := strconv.FormatFloat(v+1, 'f', -1, 64)
		if strings.Contains(line[m[2]:m[3]], ".") {
			to = strconv.FormatFloat(v*1.25, 'g', 6, 64)
		}
		out = append(out, line[:m[2]]+to+line[m[3]:])
	}
	return out
}

var (
	asked    = regexp.MustCompile(`^(\s*(?:\} else )?if (?:.*; )?)([^;]+)( \{)$`)
	askedWeb = regexp.MustCompile(`^(\s*(?:\} else )?if \()(.+)(\)(?: \{| .+)?)$`)
	shown    = regexp.MustCompile(`^(.*\bv-(?:if|else-if|show)=")([^"]+)(".*)$`)
	either   = regexp.MustCompile(`^(.* \? )([^?:]+)( : )([^?:]+?)([,)}]*)$`)
	pair     = regexp.MustCompile(`\b[\w.]+\(([\w.]+), ([\w.]+)\)`)
	alone    = regexp.MustCompile(`^\s*(?:[\w.]+\(.*\)|[\w.\[\]]+ (?:=|\+=|-=) [^{(]*[^{(,]|[\w.]+(?:\+\+)|\w+: .*[^{(\[],|[@:][\w:.-]+="[^"]+")$`)
	quoted   = regexp.MustCompile(`"([^"\\]{2,})"|'([^'\\]{2,})'`)
	computed = regexp.MustCompile(` (?:[@:]|v-)[\w:.-]*="([^"]*)"|\{\{ ([^}]*) \}\}`)
	mustache = regexp.MustCompile(`\{\{ ([^}]+) \}\}`)
)

func negated(line, _ string) []string {
	for _, re := range []*regexp.Regexp{shown, askedWeb, asked} {
		if m := re.FindStringSubmatch(line); m != nil {
			return []string{m[1] + "!(" + m[2] + ")" + m[3]}
		}
	}
	return nil
}

func swapped(line, masked string) []string {
	var out []string
	if m := either.FindStringSubmatch(line); m != nil {
		out = append(out, m[1]+m[4]+m[3]+m[2]+m[5])
	}
	for _, m := range pair.FindAllStringSubmatchIndex(masked, -1) {
		out = append(out, line[:m[2]]+line[m[4]:m[5]]+line[m[3]:m[4]]+line[m[2]:m[3]]+line[m[5]:])
	}
	return out
}

func dropped(line, _ string) []string {
	if alone.MatchString(line) {
		return []string{""}
	}
	return nil
}

func texts(line, _ string) []string {
	var out []string
	for _, m := range quoted.FindAllStringSubmatchIndex(line, -1) {
		out = append(out, line[:m[1]-2]+line[m[1]-1:])
	}
	for _, m := range mustache.FindAllStringSubmatchIndex(line, -1) {
		out = append(out, line[:m[0]]+line[m[1]:])
	}
	return out
}

// masked blanks the strings of a line of Go or TypeScript, of a template those within quotes
// within quotes.
func masked(line string) string {
	out := []byte(line)
	var in byte
	text := strings.TrimSpace(line)
	if strings.HasPrefix(text, "<") || strings.HasPrefix(text, ">") { // of a template only what is computed
		kept := slices.Repeat([]byte{'_'}, len(line))
		for _, m := range computed.FindAllStringSubmatchIndex(line, -1) {
			for k := 2; k < len(m); k += 2 {
				if m[k] >= 0 {
					copy(kept[m[k]:m[k+1]], masked(" " + line[m[k]:m[k+1]])[1:])
				}
			}
		}
		return string(kept)
	}
	attribute := regexp.MustCompile(`^\s*[@:v][\w:.-]*="`).MatchString(line)
	for i := range out {
		c := out[i]
		switch {
		case in != 0 && c == in:
			in = 0
		case in != 0:
			out[i] = '_'
		case c == '/' && i > 0 && out[i-1] == '/': // a comment
			return string(out[:i-1]) + strings.Repeat("_", len(out)-i+1)
		case c == '\'' || c == '`' || c == '"' && !attribute:
			in = c
		}
	}
	return string(out)
}

// slipped prints a file of faults, as byHand reads it: at lines drawn at random one slip each.
func slipped(n int, seed uint64) error {
	lines, err := everyLine()
	if err != nil {
		return err
	}
	r := rand.New(rand.NewPCG(seed, 0)) //nolint:gosec // a draw that can be repeated
	r.Shuffle(len(lines), func(a, b int) { lines[a], lines[b] = lines[b], lines[a] })
	for _, l := range lines {
		if n == 0 {
			break
		}
		place, _, _ := strings.Cut(l, "\t")
		path, at, _ := strings.Cut(place, ":")
		src, err := os.ReadFile(path) //nolint:gosec // of the program
		if err != nil {
			return err
		}
		all := strings.Split(string(src), "\n")
		k, _ := strconv.Atoi(at)
		k--
		var with []string
		for _, slip := range slips {
			with = append(with, slip(all[k], masked(all[k]))...)
		}
		if len(with) == 0 {
			continue
		}
		to := with[r.IntN(len(with))]
		// So many lines around it that they stand there once.
		from, end := k, k+1
		for strings.Count(string(src), strings.Join(all[from:end], "\n")) > 1 && from > 0 {
			from, end = from-1, min(end+1, len(all))
		}
		was := strings.Join(all[from:end], "\n")
		becomes := strings.Join(append(append(append([]string{}, all[from:k]...), to), all[k+1:end]...), "\n")
		escape := strings.NewReplacer("\n", "⏎", "\t", "⇥")
		fmt.Printf("%s\t%s\t%s\n", place, escape.Replace(was), escape.Replace(becomes))
		n--
	}
	return nil
}
