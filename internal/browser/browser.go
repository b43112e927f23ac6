// Package browser drives headless Chromium from Debian's packages, for the
// browser tests and the pictures in docs/screenshots.
package browser

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
)

// ErrMissing is returned when Chromium is not installed.
var ErrMissing = errors.New("Chromium is not installed: run `apt-get install chromium` as root")

// Page is a tab. Its methods fail with what they were after and wait as long as
// the page's patience for it.
type Page struct {
	ctx      context.Context
	base     string
	Patience time.Duration
}

// Open starts a browser of 1280x800 with a profile of its own and gives a tab.
// base is put before the paths given to Go.
func Open(parent context.Context, base string) (*Page, func(), error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, nil, ErrMissing
	}
	profile, err := os.MkdirTemp("", "jobshelf-browser-")
	if err != nil {
		return nil, nil, err
	}
	opts := []chromedp.ExecAllocatorOption{
		chromedp.ExecPath(path), chromedp.Flag("headless", "new"), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.NoFirstRun, chromedp.NoDefaultBrowserCheck, chromedp.UserDataDir(profile), chromedp.WindowSize(1280, 800),
	}
	for _, f := range []string{"enable-unsafe-swiftshader", "disable-background-networking", "disable-component-update", "disable-sync",
		"disable-quic", "disable-dev-shm-usage", "hide-scrollbars", "mute-audio"} {
		opts = append(opts, chromedp.Flag(f, true))
	}
	opts = append(opts, chromedp.Flag("force-color-profile", "srgb"), chromedp.Flag("force-prefers-reduced-motion", true))
	alloc, stopAlloc := chromedp.NewExecAllocator(parent, opts...)
	ctx, stopTab := chromedp.NewContext(alloc, chromedp.WithErrorf(func(string, ...any) {}))
	stop := func() {
		stopTab()
		stopAlloc()
		_ = os.RemoveAll(profile)
	}
	p := &Page{ctx: ctx, base: base, Patience: 90 * time.Second}
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)); err != nil {
		stop()
		return nil, nil, fmt.Errorf("start the browser: %w", err)
	}
	return p, stop, nil
}

func (p *Page) do(what string, steps ...chromedp.Action[chromedp.Void]) error {
	ctx, cancel := context.WithTimeout(p.ctx, p.Patience)
	defer cancel()
	if err := chromedp.Do(ctx, steps...); err != nil {
		return fmt.Errorf("%s: %w", what, err)
	}
	return nil
}

// Go opens a path of the site.
func (p *Page) Go(path string) error { return p.do("go to "+path, chromedp.Navigate(p.base+path)) }

// Click, Type and Files act on the first visible match of a CSS selector.
func (p *Page) Click(css string) error {
	return p.do("click "+css, chromedp.WaitVisible(chromedp.CSS(css)), chromedp.Click(chromedp.CSS(css)))
}

// Type sends text to a field.
func (p *Page) Type(css, text string) error {
	return p.do("type into "+css, chromedp.WaitVisible(chromedp.CSS(css)), chromedp.SendKeys(chromedp.CSS(css), text))
}

// Files gives files to a file input.
func (p *Page) Files(css string, names ...string) error {
	return p.do("choose files", chromedp.WaitReady(chromedp.CSS(css)), chromedp.SetUploadFiles(chromedp.CSS(css), names))
}

// Key presses keys where the focus is.
func (p *Page) Key(keys string, mods ...chromedp.Modifier) error {
	return p.do("press "+keys, chromedp.KeyEvent(keys, chromedp.KeyModifiers(mods...)))
}

// Drag pulls from one point to another.
func (p *Page) Drag(fromX, fromY, toX, toY float64) error {
	return p.do("drag", chromedp.DragAndDropXY(fromX, fromY, toX, toY, 8))
}

// Wait waits until a JavaScript expression is true.
func (p *Page) Wait(expression string) error {
	ctx, cancel := context.WithTimeout(p.ctx, p.Patience)
	defer cancel()
	for {
		ok, err := chromedp.Run(ctx, chromedp.Evaluate[bool]("!!("+expression+")"))
		if err == nil && ok {
			return nil
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("wait for %s: %w", expression, errors.Join(ctx.Err(), err))
		case <-time.After(40 * time.Millisecond):
		}
	}
}

// Eval gives the value of a JavaScript expression.
func Eval[T any](p *Page, expression string) (T, error) {
	ctx, cancel := context.WithTimeout(p.ctx, p.Patience)
	defer cancel()
	return chromedp.Run(ctx, chromedp.Evaluate[T](expression))
}

// Do runs a JavaScript statement.
func (p *Page) Do(statement string) error {
	_, err := Eval[bool](p, "(() => {"+statement+"; return true})()")
	return err
}

// Picture is a PNG of what is in view.
func (p *Page) Picture() ([]byte, error) {
	ctx, cancel := context.WithTimeout(p.ctx, p.Patience)
	defer cancel()
	return chromedp.Run(ctx, chromedp.CaptureScreenshot())
}

// SignIn goes through the sign-in form.
func (p *Page) SignIn(login, password string) error {
	for _, step := range []func() error{
		func() error { return p.Go("/") },
		func() error { return p.Type("#login", login) },
		func() error { return p.Type("#password", password) },
		func() error { return p.Click("#sign-in") },
		func() error { return p.Wait(`document.querySelector('nav')`) },
	} {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

// DropFiles lets files fall onto the page at a point, as from a file manager.
func (p *Page) DropFiles(x, y float64, names ...string) error {
	data := &input.DragData{Items: []*input.DragDataItem{}, Files: names, DragOperationsMask: 1}
	for _, t := range []input.DispatchDragEventType{input.DispatchDragEventTypeDragEnter, input.DispatchDragEventTypeDragOver, input.DispatchDragEventTypeDrop} {
		ctx, cancel := context.WithTimeout(p.ctx, p.Patience)
		_, err := chromedp.Call(ctx, input.DispatchDragEvent, input.DispatchDragEventParams{Type: t, X: x, Y: y, Data: data})
		cancel()
		if err != nil {
			return fmt.Errorf("drop files: %w", err)
		}
	}
	return nil
}

// Size sets how large the window is, px.
func (p *Page) Size(width, height int64) error {
	return p.do("size the window", chromedp.EmulateViewport(width, height))
}
