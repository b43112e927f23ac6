package label_test

import (
	"bytes"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/qrcode"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/label"
)

// The label as it is printed is read back by a reader of codes that shares nothing with what wrote it, and its words by
// a program that shows PDFs: whatever is written on it, in whichever letters.
func TestALabelIsReadBack(t *testing.T) {
	for _, tool := range []string{"pdftoppm", "pdftotext"} {
		_, err := exec.LookPath(tool)
		require.NoError(t, err, "install it: apt-get install poppler-utils")
	}
	for _, l := range []label.Label{
		{House: "Ropewalk Commons", Title: "Net needles, class set", Member: "Nia Marlow", Copies: "8 pieces", Place: "bin C4", Code: "K7WX2M", Ready: "Sat 28 Nov, 14:05"},
		{House: "Ropewalk Commons", Title: strings.Repeat("A very long name of a part ", 8), Member: strings.Repeat("Name", 30), Copies: "1 piece", Code: "ZZZZZZ", Ready: "now"},
		{House: "Werkstatt Ölhafen", Title: "Łódź – Größe ½", Member: "Ødegård Ñuñez", Copies: "1", Place: "Ω", Code: "222222"},
		{House: "\U0010ffff", Title: "😀 boat\x00\nfor two", Member: "🧑‍🚀 bad \xff", Code: "C"}, // letters that no page shows
		{Code: "B"},
	} {
		var b bytes.Buffer
		require.NoError(t, l.Write(&b))
		dir := t.TempDir()
		pdf := filepath.Join(dir, "label.pdf")
		require.NoError(t, os.WriteFile(pdf, b.Bytes(), 0o600))
		out, err := exec.Command("pdftoppm", "-r", "203", "-png", "-singlefile", pdf, filepath.Join(dir, "label")).CombinedOutput() //nolint:gosec // its own file; 203 dpi is what label printers have
		require.NoError(t, err, "%s", out)
		f, err := os.Open(filepath.Join(dir, "label.png"))
		require.NoError(t, err)
		img, err := png.Decode(f)
		require.NoError(t, err)
		require.NoError(t, f.Close())
		assert.InDelta(t, 89.0/25.4*203, img.Bounds().Dx(), 1.5, "it lies, 89 mm wide")
		bits, err := gozxing.NewBinaryBitmapFromImage(img)
		require.NoError(t, err)
		read, err := qrcode.NewQRCodeReader().Decode(bits, nil)
		require.NoError(t, err)
		assert.Equal(t, l.Code, read.GetText())
		words, err := exec.Command("pdftotext", "-layout", pdf, "-").Output() //nolint:gosec // its own file
		require.NoError(t, err)
		text := strings.Join(strings.Fields(string(words)), " ")
		for _, s := range []string{l.Member, l.Title, l.Place} {
			if l.Code == "C" {
				s = "? boat for two"
			}
			assert.Contains(t, text, s[:min(len(s), 16)])
		}
		if len(l.Title) > 60 {
			assert.Contains(t, text, "…", "what does not fit is marked")
		}
	}
	assert.Error(t, label.Label{Code: strings.Repeat("x", 5000)}.Write(&bytes.Buffer{}), "no code holds as much")
}
