// Package gcode reads the text that machines obey: the words of RS-274/NGC
// (NIST IR 6556) in the dialect that is common for material extrusion, where E
// is the filament, M104 heats the nozzle and M140 the bed.
//
// Walk goes through a program move by move; Read sums a program up: bounds,
// layers, filament, temperatures, speeds, commands. Lengths are mm, speeds mm/s,
// times s, angles of arcs are followed within 0.01 mm. What is not a command
// at all is an *Error with its line; commands that are unknown are counted, not
// refused. Programs are read as a stream in bounded memory.
package gcode

import (
	"errors"
	"fmt"
	"strconv"

	"jobshelf/core/shape/problem"
)

// ErrBroken is the kind of all refusals, for errors.Is.
var ErrBroken = errors.New("broken G-code")

// Error is a refusal with its place.
type Error struct {
	Line int // from 1
	What problem.Phrase
	Do   problem.Phrase
}

// Words are in the language of who says phrases.
func (e *Error) Words(say func(problem.Phrase) string) string {
	return say(problem.Text("%s (line %s)", say(e.What), strconv.Itoa(e.Line))) + ". " + say(e.Do)
}

func (e *Error) Error() string { return e.Words(problem.Phrase.English) }

// Unwrap gives ErrBroken.
func (e *Error) Unwrap() error { return ErrBroken }

// XYZ is a place in mm.
type XYZ struct{ X, Y, Z float64 }

// Move is one straight piece of the way; an arc is several.
type Move struct {
	From, To XYZ
	EMM      float64 // filament fed, negative when pulled back
	MMPerS   float64 // feed asked for; 0 if the program gave none yet
	MMPerS2  float64 // acceleration asked for by M204; 0 if none was
	Tool     int
	Line     int
	Arc      bool
}

// Visitor is told what a program does. Any function may be nil.
type Visitor struct {
	Move func(Move)
	// Command is told of every command that is no move, with its words.
	Command func(c Command)
	// Text is told of every line as it is, without its end.
	Text func(line int, text []byte)
}

// Command is one command with its words.
type Command struct {
	Line   int
	Letter byte // upper case; 0 for a named command
	Number float64
	Name   string // of a named command
	words  []word
}

// Code is the command as it is written: G28, M104, G92.1, or its name.
func (c *Command) Code() string {
	if c.Letter == 0 {
		return c.Name
	}
	return fmt.Sprintf("%c%g", c.Letter, c.Number)
}

// Get gives a word's value.
func (c *Command) Get(letter byte) (float64, bool) {
	for _, w := range c.words {
		if w.letter == letter {
			return w.value, true
		}
	}
	return 0, false
}

type word struct {
	letter byte
	value  float64
	bare   bool // without a number, as in "G28 X"
}
