package intake

import (
	"context"
	"fmt"
	"io"

	"jobshelf/internal/desk"
)

// StorageView is what is used, told before it is full.
type StorageView struct {
	UsedBytes       int64 `json:"used_bytes" doc:"By the own files"`
	LimitBytes      int64 `json:"limit_bytes" doc:"0: without end"`
	HouseUsedBytes  int64 `json:"house_used_bytes,omitempty" doc:"By all files of the house, for its coordinators"`
	HouseLimitBytes int64 `json:"house_limit_bytes,omitempty"`
}

// Storage tells somebody how much room there is.
func Storage(ctx context.Context, d *desk.Desk, a desk.Actor) (StorageView, error) {
	u, err := d.Store.Storage(ctx, a.ID)
	v := StorageView{UsedBytes: u.Mine}
	if a.Role == desk.Member {
		v.LimitBytes = d.Quota.MemberBytes
	} else {
		v.HouseUsedBytes, v.HouseLimitBytes = u.All, d.Quota.AllBytes
	}
	return v, err
}

// NoRoom is a refusal of a file that there is no room for.
type NoRoom struct{ Text string }

func (n *NoRoom) Error() string { return n.Text }

// room bounds a reader by what there is still room for.
func room(ctx context.Context, d *desk.Desk, a desk.Actor, r io.Reader) (io.Reader, error) {
	if d.Quota == (desk.Quota{}) {
		return r, nil
	}
	u, err := d.Store.Storage(ctx, a.ID)
	if err != nil {
		return nil, err
	}
	if q := d.Quota.AllBytes; q > 0 {
		r = &bounded{r, q - u.All, "The house's storage is full. Tell a steward."}
	}
	if q := d.Quota.MemberBytes; q > 0 && a.Role == desk.Member {
		r = &bounded{r, q - u.Mine, fmt.Sprintf("With this file yours would take more than %s, which is what each member has. Ask at the desk to make room.", megabytes(q))}
	}
	return r, nil
}

func megabytes(n int64) string { return fmt.Sprintf("%.3g MB", float64(n)/1e6) }

type bounded struct {
	r    io.Reader
	left int64
	text string
}

func (b *bounded) Read(p []byte) (int, error) {
	n, err := b.r.Read(p)
	if b.left -= int64(n); b.left < 0 {
		return 0, &NoRoom{b.text}
	}
	return n, err
}
