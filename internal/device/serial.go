package device

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"go.bug.st/serial"
	"golang.org/x/sys/unix"
)

// usualBaud is what most boards speak, where an address does not say.
const usualBaud = 115200

// IsSerial says that a line's address is a serial port of this computer: /dev/NAME, or /dev/NAME:BAUD.
func IsSerial(address string) bool { return strings.HasPrefix(address, "/dev/") }

// openSerial opens a port. Hang-up is switched off first: closing and opening it again then resets no board that is reset
// by that, but the first time since it was plugged in.
func openSerial(address string) (io.ReadWriteCloser, error) {
	name, baud := address, usualBaud
	if n, rate, ok := strings.Cut(address, ":"); ok {
		b, err := strconv.Atoi(rate)
		if err != nil || b < 1200 || b > 4_000_000 {
			return nil, fmt.Errorf("%q is no speed of a serial port", rate)
		}
		name, baud = n, b
	}
	if err := noHangUp(name); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrLost, err)
	}
	p, err := serial.Open(name, &serial.Mode{BaudRate: baud})
	if err != nil {
		return nil, fmt.Errorf("%w: %s: %w", ErrLost, name, err)
	}
	return p, nil
}

// noHangUp keeps a port's ready signal up when it is closed.
func noHangUp(name string) error {
	fd, err := unix.Open(name, unix.O_RDWR|unix.O_NOCTTY|unix.O_NONBLOCK|unix.O_CLOEXEC, 0)
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	defer unix.Close(fd) //nolint:errcheck // it was only looked at
	t, err := unix.IoctlGetTermios(fd, unix.TCGETS)
	if err != nil {
		return fmt.Errorf("%s is no serial port: %w", name, err)
	}
	t.Cflag &^= unix.HUPCL
	return unix.IoctlSetTermios(fd, unix.TCSETS, t)
}
