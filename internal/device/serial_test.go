package device

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"jobshelf/internal/demo"
	"jobshelf/internal/standin"
)

// pair is a pseudo-terminal: what stands for the board's end, and the port's name.
func pair(t *testing.T) (*os.File, string) {
	t.Helper()
	board, err := os.OpenFile("/dev/ptmx", os.O_RDWR|unix.O_NOCTTY, 0)
	if err != nil {
		t.Skipf("no pseudo-terminals here: %v", err)
	}
	t.Cleanup(func() { _ = board.Close() })
	fd := int(board.Fd())
	require.NoError(t, unix.IoctlSetPointerInt(fd, unix.TIOCSPTLCK, 0))
	n, err := unix.IoctlGetInt(fd, unix.TIOCGPTN)
	require.NoError(t, err)
	return board, fmt.Sprintf("/dev/pts/%d", n)
}

// A machine on a serial port is spoken with as one on the network; hang-up is off, so that closing the port and opening it
// again drops no signal that resets a board.
func TestAMachineOnASerialPort(t *testing.T) {
	board, port := pair(t)
	keep, err := os.OpenFile(port, os.O_RDWR|unix.O_NOCTTY, 0) // the pair stays up while nobody else has it open
	require.NoError(t, err)
	defer keep.Close()
	hangsUp := func() bool {
		a, err := unix.IoctlGetTermios(int(keep.Fd()), unix.TCGETS)
		require.NoError(t, err)
		return a.Cflag&unix.HUPCL != 0
	}
	a, err := unix.IoctlGetTermios(int(keep.Fd()), unix.TCGETS)
	require.NoError(t, err)
	a.Cflag |= unix.HUPCL
	require.NoError(t, unix.IoctlSetTermios(int(keep.Fd()), unix.TCSETS, a))
	require.True(t, hangsUp())

	m := demo.Machines()[0]
	p := standin.New(&m, standin.Options{})
	_ = p.Said() // it was switched on long ago
	ended := make(chan struct{})
	heard := make(chan []byte)
	go func() {
		for {
			buf := make([]byte, 4096)
			n, err := board.Read(buf)
			if err != nil {
				return
			}
			select {
			case heard <- buf[:n]:
			case <-ended:
				return
			}
		}
	}()
	done := make(chan struct{})
	go func() {
		defer close(done)
		for {
			select {
			case b := <-heard:
				p.Hear(b)
			case <-time.After(2 * time.Millisecond):
				p.Run(1)
			case <-ended:
				return
			}
			if out := p.Said(); len(out) > 0 {
				_, _ = board.Write(out)
			}
		}
	}()
	defer func() { close(ended); <-done }()

	for range 2 {
		l, err := Dial(t.Context(), port+":115200", hasty, nil)
		require.NoError(t, err)
		assert.False(t, hangsUp())
		require.NoError(t, l.Store(t.Context(), "R3.GCO", lines(), nil))
		require.NoError(t, l.Start(t.Context()))
		until(t, l, "it is at its end", func(s State) bool { return s.Finished == 1 })
		require.NoError(t, l.Close())
		assert.False(t, hangsUp())
	}
	for _, wrong := range []string{"/dev/null", port + ":9", port + ":fast", "/dev/nothing-there"} {
		_, err := Dial(t.Context(), wrong, hasty, nil)
		require.Error(t, err, wrong)
	}
}

// A camera gives a picture, or the reason why not: it is not followed elsewhere, and bounded.
func TestACamera(t *testing.T) {
	png := []byte("\x89PNG\r\n\x1a\n and more")
	var elsewhere int
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		elsewhere++
		_, _ = w.Write(png)
	}))
	defer other.Close()
	camera := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/png":
			w.Header().Set("Content-Type", "text/html") // what it says it is does not matter
			_, _ = w.Write(png)
		case "/page":
			w.Header().Set("Content-Type", "image/png")
			_, _ = w.Write([]byte("<html><script>alert(1)</script>"))
		case "/elsewhere":
			http.Redirect(w, r, other.URL, http.StatusFound)
		case "/large":
			_, _ = w.Write(append(png, make([]byte, mostPicture)...))
		default:
			http.NotFound(w, r)
		}
	}))
	defer camera.Close()
	b, kind, err := Picture(t.Context(), camera.URL+"/png")
	require.NoError(t, err)
	assert.Equal(t, png, b)
	assert.Equal(t, "image/png", kind)
	for _, path := range []string{"/page", "/elsewhere", "/large", "/none"} {
		_, _, err := Picture(t.Context(), camera.URL+path)
		require.ErrorIs(t, err, ErrNoPicture, path)
	}
	assert.Zero(t, elsewhere)
	_, _, err = Picture(t.Context(), "http://127.0.0.1:1/")
	require.ErrorIs(t, err, ErrNoPicture)
}
