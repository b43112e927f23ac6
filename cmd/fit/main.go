// Command fit holds the quick estimate against real toolpaths over the parts of the
// corpus, and fits its factors on those that are there for it.
//
//	fit [-one-of 5] [-only NAME] [-all] [-write core/print]
package main

import (
	"bytes"
	"context"
	"flag"
	"fmt"
	"go/format"
	"math"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"sync"

	"gonum.org/v1/gonum/mat"

	"jobshelf/core/print/estimate"
	"jobshelf/core/print/orient"
	"jobshelf/internal/corpus"
)

func main() {
	oneOf := flag.Int("one-of", 5, "take one of so many pairs of part and recipe")
	only := flag.String("only", "", "only parts whose names begin so")
	all := flag.Bool("all", false, "tell every case, not only those that are far off")
	onlySupport := flag.Bool("only-support", false, "with -write: only how much support is foreseen is fitted")
	write := flag.String("write", "", "fit, and write the factors to estimate/fitted.go and orient/fitted.go in this directory")
	flag.Parse()
	if err := run(context.Background(), *oneOf, *only, *all, *onlySupport, *write); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(ctx context.Context, oneOf int, only string, all, onlySupport bool, write string) error {
	parts, err := corpus.OfPackages(ctx)
	if err != nil {
		return err
	}
	parts = slices.DeleteFunc(slices.Concat(corpus.Own(), parts), func(p corpus.Part) bool { return !strings.HasPrefix(p.Name, only) })
	cases, err := corpus.Cases(ctx, parts, oneOf, nil)
	if err != nil {
		return err
	}
	factors, room, support := estimate.Fitted, withSupport(cases), orient.Fitted
	if write != "" {
		if !onlySupport {
			factors = fitted(cases, factors)
		}
		support = foreseen(room)
		for name, of := range map[string][]byte{"estimate": source(factors), "orient": supportSource(support)} {
			if err := os.WriteFile(filepath.Join(write, name, "fitted.go"), of, 0o644); err != nil { //nolint:gosec // source is for everybody to read
				return err
			}
		}
	}
	for _, c := range cases {
		if s, g := c.Off(&factors); all || math.Abs(s) > farOff || math.Abs(g) > farOff {
			fmt.Printf("%-12s %-45s %6.0f s %+6.1f %%  %6.2f g %+6.1f %%  support %2.0f %%, nozzles %d\n",
				c.Part.Group, c.Name(), c.Full.Seconds, 100*s, c.Full.Grams(), 100*g, 100*c.SupportShare(), len(c.Full.Nozzles))
		}
	}
	fmt.Println(corpus.GroundReport(cases))
	fmt.Print(supportReport(room, support))
	for _, g := range corpus.Groups {
		fmt.Println(corpus.Report(cases, g, &factors))
	}
	return nil
}

// farOff is how far a case must be off to be told.
const farOff = 0.12

// vector is the factors as numbers, in the order of the fields.
func vector(f *estimate.Factors) []float64 {
	v := reflect.ValueOf(f).Elem()
	out := make([]float64, v.NumField())
	for i := range out {
		out[i] = v.Field(i).Float()
	}
	return out
}

func factorsOf(x []float64) estimate.Factors {
	var f estimate.Factors
	v := reflect.ValueOf(&f).Elem()
	for i := range x {
		v.Field(i).SetFloat(x[i])
	}
	return f
}

// fitted finds the factors that make the cases of the fitted group least off in time
// and in filament, by Levenberg's and Marquardt's steps (1944, 1963) on the logarithms of
// the factors. A case weighs less the further it is off, so that the middle counts and not
// the few that are beyond it; and factors are drawn a little to where they began, so that
// one that no part tells of stays there.
func fitted(cases []*corpus.Case, begin estimate.Factors) estimate.Factors {
	var on []*corpus.Case
	for _, c := range cases {
		if c.Part.Group == corpus.Fitted {
			on = append(on, c)
		}
	}
	x0 := vector(&begin)
	n, rows := len(x0), 2*len(on)
	off := func(y []float64) []float64 {
		x := make([]float64, n)
		for i := range x {
			x[i] = x0[i] * math.Exp(y[i])
		}
		f := factorsOf(x)
		out := make([]float64, rows)
		var wg sync.WaitGroup
		for part := range 2 {
			wg.Go(func() {
				for i := part; i < len(on); i += 2 {
					out[2*i], out[2*i+1] = on[i].Off(&f)
				}
			})
		}
		wg.Wait()
		return out
	}
	y := make([]float64, n)
	e := off(y)
	damp := 1e-2
	for range 40 {
		before := loss(e, y)
		normal, right := equations(off, e, y)
		var by mat.VecDense
		for ; damp < 1e6; damp *= 4 {
			a := mat.DenseCopyOf(normal)
			for k := range n {
				a.Set(k, k, a.At(k, k)*(1+damp)+1e-9)
			}
			if err := by.SolveVec(a, right); err != nil {
				continue
			}
			z := slices.Clone(y)
			for k := range z {
				z[k] += math.Max(-1, math.Min(1, by.AtVec(k)))
			}
			if g := off(z); loss(g, z) < before {
				y, e = z, g
				damp /= 8
				break
			}
		}
		after := loss(e, y)
		fmt.Fprintf(os.Stderr, "loss %.6f\n", after)
		if before-after < 1e-5*before {
			break
		}
	}
	for i := range x0 {
		x0[i] *= math.Exp(y[i])
	}
	return factorsOf(x0)
}

// enough is how far off a case may be, in logarithms, before it weighs less; stay is how much a
// factor is drawn to where it began.
const enough, stay = 0.03, 0.04

func loss(e, y []float64) float64 {
	sum := 0.0
	for _, v := range e {
		sum += enough * (math.Sqrt(enough*enough+v*v) - enough)
	}
	for _, v := range y {
		sum += stay * stay * v * v
	}
	return sum
}

// equations are the normal equations of a step from y, where the cases are off by e.
func equations(off func([]float64) []float64, e, y []float64) (*mat.Dense, *mat.VecDense) {
	n, rows := len(y), len(e)
	jac := mat.NewDense(rows+n, n, nil)
	res := mat.NewVecDense(rows+n, nil)
	for k := range n {
		const step = 1e-3
		z := slices.Clone(y)
		z[k] += step
		for i, v := range off(z) {
			jac.Set(i, k, (v-e[i])/step)
		}
	}
	for i, v := range e {
		w := math.Sqrt(enough / math.Sqrt(enough*enough+v*v))
		for k := range n {
			jac.Set(i, k, w*jac.At(i, k))
		}
		res.SetVec(i, -w*v)
	}
	for k := range n {
		jac.Set(rows+k, k, stay)
		res.SetVec(rows+k, -stay*y[k])
	}
	var normal mat.Dense
	var right mat.VecDense
	normal.Mul(jac.T(), jac)
	right.MulVec(jac.T(), res)
	return &normal, &right
}

// source is the factors as Go.
func source(f estimate.Factors) []byte {
	var b bytes.Buffer
	b.WriteString(
		"// Code generated by cmd/fit; DO NOT EDIT.\n\npackage estimate\n\n// Fitted are the factors that make the fitted parts of the corpus least off.\nvar Fitted = Factors{\n",
	)
	v := reflect.ValueOf(f)
	for i := range v.NumField() {
		fmt.Fprintf(&b, "%s: %.4g,\n", v.Type().Field(i).Name, v.Field(i).Float())
	}
	b.WriteString("}\n")
	out, err := format.Source(b.Bytes())
	if err != nil {
		panic(err) // names and numbers
	}
	return out
}
