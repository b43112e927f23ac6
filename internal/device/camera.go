package device

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"time"
)

// ErrNoPicture is a camera that gives none.
var ErrNoPicture = errors.New("the camera gives no picture")

const (
	mostPicture  = 8 << 20 // bytes
	pictureWaits = 5 * time.Second
)

// lens fetches pictures: straight from the address, wherever that may point to else.
var lens = http.Client{Timeout: pictureWaits, CheckRedirect: func(*http.Request, []*http.Request) error { return errors.New("it points elsewhere") },
	Transport: &http.Transport{Proxy: nil, MaxIdleConns: 16, MaxIdleConnsPerHost: 2, IdleConnTimeout: time.Minute, ResponseHeaderTimeout: pictureWaits}}

// Picture fetches what a camera sees, a PNG or JPEG of 8 MB at most, and tells which.
func Picture(ctx context.Context, address string) (picture []byte, kind string, err error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, "", fmt.Errorf("%w: %w", ErrNoPicture, err)
	}
	answer, err := lens.Do(r)
	if err != nil {
		return nil, "", fmt.Errorf("%w: %w", ErrNoPicture, err)
	}
	defer answer.Body.Close() //nolint:errcheck // it was only read
	if answer.StatusCode != http.StatusOK {
		return nil, "", fmt.Errorf("%w: %s", ErrNoPicture, answer.Status)
	}
	b, err := io.ReadAll(io.LimitReader(answer.Body, mostPicture+1))
	if err != nil {
		return nil, "", fmt.Errorf("%w: %w", ErrNoPicture, err)
	}
	if len(b) > mostPicture {
		return nil, "", fmt.Errorf("%w: it is larger than %d MB", ErrNoPicture, mostPicture>>20)
	}
	if kind = http.DetectContentType(b); !slices.Contains([]string{"image/png", "image/jpeg"}, kind) {
		return nil, "", fmt.Errorf("%w: it is no picture", ErrNoPicture)
	}
	return b, kind, nil
}
