package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"golang.org/x/term"

	"jobshelf/internal/desk"
	"jobshelf/internal/desk/people"
	"jobshelf/internal/store"
	"jobshelf/internal/work"
)

// input is where passwords come from; never from the arguments, which everybody on
// the machine can read.
var input io.Reader = os.Stdin

// askPassword reads a password from the terminal without showing it, or the first
// line of the input.
func askPassword(out io.Writer) (string, error) {
	if f, ok := input.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		fmt.Fprint(out, "Password: ")
		first, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(out)
		if err != nil {
			return "", fmt.Errorf("read the password: %w", err)
		}
		fmt.Fprint(out, "Once more: ")
		second, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(out)
		if err == nil && string(first) != string(second) {
			err = errors.New("the two are not the same")
		}
		return string(first), err
	}
	line, err := bufio.NewReader(io.LimitReader(input, 4096)).ReadString('\n')
	if err != nil && !errors.Is(err, io.EOF) {
		return "", fmt.Errorf("read the password: %w", err)
	}
	if line = strings.TrimRight(line, "\r\n"); line == "" {
		return "", errors.New("no password was given: write it as the first line of the input")
	}
	return line, nil
}

// onDatabase does something with the house in a database that is brought up to date.
func onDatabase(ctx context.Context, url string, f func(*desk.Desk) error) (int, error) {
	s, err := store.Open(ctx, url)
	if err != nil {
		return 1, err
	}
	defer s.Close()
	if err := s.Migrate(ctx); err != nil {
		return 1, err
	}
	q, err := work.NewQueue(s)
	if err != nil {
		return 1, err
	}
	return 0, f(&desk.Desk{Store: s, Queue: q, Now: time.Now})
}

func house(ctx context.Context, args []string, out, errOut io.Writer) (int, error) {
	if len(args) == 0 || args[0] != "new" {
		return 2, errUsage
	}
	f := flags("house new", errOut)
	database := f.String("database", os.Getenv("JOBSHELF_DATABASE"), "")
	name, login, steward := f.String("name", "", ""), f.String("steward", "", ""), f.String("steward-name", "", "")
	if f.Parse(args[1:]) != nil || *database == "" || *name == "" || *login == "" || f.NArg() > 0 {
		return 2, errUsage
	}
	if *steward == "" {
		*steward = *login
	}
	password, err := askPassword(errOut)
	if err != nil {
		return 2, err
	}
	return onDatabase(ctx, *database, func(d *desk.Desk) error {
		if err := people.NewHouse(ctx, d, *name, people.Newcomer{Login: *login, Name: *steward, Password: password}); err != nil {
			return err
		}
		fmt.Fprintf(out, "%s is open. Its steward signs in as %s.\n", *name, store.CanonicalLogin(*login))
		return nil
	})
}

func person(ctx context.Context, args []string, out, errOut io.Writer) (int, error) {
	if len(args) < 2 {
		return 2, errUsage
	}
	what, login := args[0], args[1]
	rest := args[2:]
	role := ""
	if what == "role" {
		if len(rest) == 0 {
			return 2, errUsage
		}
		role, rest = rest[0], rest[1:]
	}
	f := flags("person", errOut)
	database := f.String("database", os.Getenv("JOBSHELF_DATABASE"), "")
	name := f.String("name", "", "")
	if what == "add" {
		f.StringVar(&role, "role", "member", "")
	}
	if f.Parse(rest) != nil || *database == "" || f.NArg() > 0 || (*name != "") != (what == "add") {
		return 2, errUsage
	}
	password := ""
	if what == "add" || what == "reset" {
		var err error
		if password, err = askPassword(errOut); err != nil {
			return 2, err
		}
	}
	change := people.PersonChange{}
	done := "The account of %s is changed. All that went on under it has ended.\n"
	switch what {
	case "add":
		done = "%s can sign in.\n"
	case "reset":
		change.Password = &password
	case "role":
		r := desk.Role(role)
		change.Role = &r
	case "close":
		change.Close = true
	default:
		return 2, errUsage
	}
	return onDatabase(ctx, *database, func(d *desk.Desk) error {
		var err error
		if what == "add" {
			_, err = people.AddPerson(ctx, d, desk.Actor{}, people.Newcomer{Login: login, Name: *name, Password: password, Role: desk.Role(role)})
		} else {
			err = people.ChangePerson(ctx, d, desk.Actor{}, login, change)
		}
		if err == nil {
			fmt.Fprintf(out, done, store.CanonicalLogin(login))
		}
		return err
	})
}
