// Package web holds the built app (dist, made by `make web/dist`) and serves it.
package web

import (
	"embed"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
)

//go:embed all:dist
var dist embed.FS

// Handler serves the app: hashed assets for ever, precompressed where the
// browser takes it; index.html, never cached, for the app's own addresses; 404
// for assets that do not exist.
func Handler() http.Handler {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the directive above and this name are one
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			http.Error(w, "only GET", http.StatusMethodNotAllowed)
			return
		}
		name := strings.TrimPrefix(path.Clean("/"+r.URL.Path), "/")
		hashed := strings.HasPrefix(name, "assets/")
		if !hashed && path.Ext(name) == "" {
			name = "index.html"
		}
		if _, err := fs.Stat(files, name); err != nil || strings.HasPrefix(path.Base(name), ".") {
			if name == "index.html" {
				http.Error(w, "The app is not built. Run `make web/dist`.", http.StatusServiceUnavailable)
				return
			}
			http.NotFound(w, r)
			return
		}
		h := w.Header()
		h.Set("Cache-Control", "no-cache")
		if hashed {
			h.Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		h.Add("Vary", "Accept-Encoding")
		if t := mime.TypeByExtension(path.Ext(name)); t != "" {
			h.Set("Content-Type", t)
		}
		accept := r.Header.Get("Accept-Encoding")
		for _, enc := range []struct{ name, ext string }{{"br", ".br"}, {"gzip", ".gz"}} {
			if !strings.Contains(accept, enc.name) {
				continue
			}
			if b, err := fs.ReadFile(files, name+enc.ext); err == nil {
				h.Set("Content-Encoding", enc.name)
				_, _ = w.Write(b)
				return
			}
		}
		http.ServeFileFS(w, r, files, name)
	})
}
