package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/modelfile"
)

// mended is what `repair --json` prints: one entry for each model of the file.
type mended struct {
	File   string       `json:"file"`
	Out    string       `json:"out"`
	Models []mendedPart `json:"models"`
}

type mendedPart struct {
	Name   string        `json:"name,omitempty"`
	Steps  []repair.Done `json:"steps"`
	Before repair.State  `json:"before"`
	After  repair.State  `json:"after"`
	Sound  bool          `json:"sound"`
	// Left is what repair could not mend.
	Left []string `json:"left"`
}

// mend mends a file's models and writes them: as 3MF if the name says so, else
// as binary STL. Exit code 0: everything is sound; 1: something is left; 2: the
// file cannot be read.
func mend(ctx context.Context, args []string, out, _ io.Writer) (int, error) {
	var to, list string
	var asJSON bool
	files, err := split(args, map[string]*string{"o": &to, "steps": &list}, map[string]*bool{"json": &asJSON})
	if err != nil || len(files) != 1 || to == "" {
		return 2, errUsage
	}
	steps := repair.Steps
	if list != "" {
		steps = nil
		for _, s := range strings.Split(list, ",") {
			if !slices.Contains(repair.Steps, repair.Step(s)) {
				return 2, fmt.Errorf("there is no step %q; there are %v", s, repair.Steps)
			}
			steps = append(steps, repair.Step(s))
		}
	}
	file, _, err := readFile(ctx, files[0])
	if err != nil {
		return 2, err
	}
	answer := mended{File: files[0], Out: to, Models: []mendedPart{}}
	code := 0
	for i := range file.Models {
		m := &file.Models[i]
		fixed, log, err := repair.Do(ctx, m.Mesh, steps)
		if err != nil {
			return 1, err
		}
		r, err := mesh.Inspect(ctx, fixed)
		if err != nil {
			return 1, err
		}
		p := mendedPart{Name: m.Name, Steps: log, Before: repair.StateOf(m.Mesh), After: repair.StateOf(fixed), Sound: r.Sound(), Left: repair.Left(r)}
		if p.Steps == nil {
			p.Steps = []repair.Done{}
		}
		if !p.Sound {
			code = 1
		}
		m.Mesh = fixed
		answer.Models = append(answer.Models, p)
	}
	if err := writeModel(to, file); err != nil {
		return 1, err
	}
	if asJSON {
		return code, writeJSON(out, answer)
	}
	for _, p := range answer.Models {
		if p.Name != "" {
			fmt.Fprintln(out, p.Name)
		}
		for _, s := range p.Steps {
			fmt.Fprintf(out, "  %-10s %s\n", s.Step, s.Text)
		}
		fmt.Fprintf(out, "  %d triangles, %d open edges before; %d and %d after\n", p.Before.Triangles, p.Before.Boundary, p.After.Triangles, p.After.Boundary)
		for _, l := range p.Left {
			fmt.Fprintln(out, "  left:", l)
		}
	}
	fmt.Fprintln(out, "Written to", to)
	return code, nil
}

// writeModel writes under another name first, so that a failure leaves no half
// file behind.
func writeModel(name string, file *modelfile.File) error {
	f, err := os.CreateTemp(filepath.Dir(name), ".jobshelf-*")
	if err != nil {
		return err
	}
	if strings.EqualFold(filepath.Ext(name), ".3mf") {
		err = modelfile.Write3MF(f, file)
	} else {
		err = modelfile.WriteSTL(f, file.Joined(), "mended by Job Shelf")
	}
	if err = errors.Join(err, f.Chmod(0o644), f.Close()); err == nil {
		err = os.Rename(f.Name(), name)
	}
	if err != nil {
		os.Remove(f.Name())
	}
	return err
}
