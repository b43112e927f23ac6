// Package label makes the label of a job's parts: a PDF page to be stuck on their bag, with a code to be read by eye or by
// a reader.
package label

import (
	"fmt"
	"io"
	"strings"
	"unicode"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"rsc.io/qr"
)

// Label is what is on it.
type Label struct {
	House  string
	Title  string
	Member string
	Copies string // in words
	Place  string // empty: not said
	Code   string // by which it is fetched
	Ready  string // in words
}

// The page, mm: a common size of label rolls (common practice, no source).
const (
	wide, high = 89.0, 41.0
	margin     = 3.0
	squareMM   = 25.0 // of the code, its quiet zone among it
	quiet      = 4    // modules, ISO/IEC 18004
)

// Write writes its PDF. The squares of the code are drawn as they are: sharp on every printer.
func (l Label) Write(w io.Writer) error {
	code, err := qr.Encode(l.Code, qr.Q)
	if err != nil {
		return fmt.Errorf("label: %w", err)
	}
	p := fpdf.NewCustom(&fpdf.InitType{OrientationStr: "L", UnitStr: "mm", Size: fpdf.SizeType{Wd: high, Ht: wide}})
	p.SetMargins(margin, margin, margin)
	p.SetAutoPageBreak(false, 0)
	p.SetTitle(l.Code, true)
	p.AddUTF8FontFromBytes("text", "", goregular.TTF)
	p.AddUTF8FontFromBytes("text", "B", gobold.TTF)
	p.AddPage()

	each := squareMM / float64(code.Size+2*quiet)
	left, top := wide-margin-squareMM, (high-squareMM)/2-3
	p.SetFillColor(0, 0, 0)
	for y := range code.Size {
		for x := 0; x < code.Size; x++ {
			run := 0 // what is black side by side is one, so that no hair stays between
			for code.Black(x+run, y) {
				run++
			}
			if run > 0 {
				p.Rect(left+each*float64(x+quiet), top+each*float64(y+quiet), each*float64(run), each, "F")
				x += run
			}
		}
	}
	p.SetFont("text", "B", 15)
	p.SetXY(left-4, top+squareMM-1)
	p.CellFormat(squareMM+4+margin, 7, spaced(l.Code), "", 0, "C", false, 0, "")

	y := margin
	line := func(style string, size, height float64, text string, most int) {
		p.SetFont("text", style, size)
		for _, s := range fit(p, shown(text), wide-squareMM-3*margin, most) {
			p.SetXY(margin, y)
			p.CellFormat(wide-squareMM-3*margin, height, s, "", 0, "L", false, 0, "")
			y += height
		}
	}
	line("", 7.5, 3.6, l.House, 1)
	y += 1
	line("B", 13, 5.6, l.Title, 2)
	line("", 11, 5, l.Member, 1)
	line("", 9, 4.2, l.Copies, 1)
	if l.Place != "" {
		line("B", 9, 4.2, l.Place, 1)
	}
	line("", 7.5, 3.6, l.Ready, 1)
	if err := p.Output(w); err != nil {
		return fmt.Errorf("label: %w", err)
	}
	return nil
}

// shown is a text without what no page shows: the writer of pages knows no letters beyond the first 65536, and would go on
// none the wiser past the end of its table.
func shown(text string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case unicode.IsControl(r):
			return ' '
		case r > 0xFFFF:
			return '?'
		}
		return r
	}, text)
}

// spaced is a code in two halves, to be read out.
func spaced(code string) string {
	if len(code) != 6 {
		return code
	}
	return code[:3] + " " + code[3:]
}

// fit breaks a text into so many lines at the most, at its spaces; what is left out is marked.
func fit(p *fpdf.Fpdf, text string, wideMM float64, most int) []string {
	var out []string
	rest := []rune(text)
	for len(rest) > 0 && len(out) < most {
		n := len(rest)
		for n > 1 && p.GetStringWidth(string(rest[:n])) > wideMM-2 {
			n--
		}
		if n < len(rest) {
			if len(out)+1 == most {
				out = append(out, string(rest[:max(0, n-1)])+"…")
				return out
			}
			for k := n; k > n/2; k-- {
				if rest[k] == ' ' {
					n = k
					break
				}
			}
		}
		out = append(out, string(rest[:n]))
		for rest = rest[n:]; len(rest) > 0 && rest[0] == ' '; {
			rest = rest[1:]
		}
	}
	return out
}
