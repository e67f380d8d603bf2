package api

import (
	"io/fs"
	"net/http"
	"path"
	"strings"

	"urbo/web"
)

// console serves the built console. Its pages have addresses of their own, so what is no file is its index page.
func console(w http.ResponseWriter, r *http.Request) {
	if strings.HasPrefix(r.URL.Path, "/api/") {
		writeProblem(w, http.StatusNotFound, "There is nothing at "+r.URL.Path+": /api/openapi.json lists what there is.")
		return
	}
	if r.Method != http.MethodGet && r.Method != http.MethodHead {
		writeProblem(w, http.StatusMethodNotAllowed, "Pages can only be read.")
		return
	}
	files, built := web.Dist()
	if !built {
		http.Error(w, "The console is not part of this binary: build it with make build.", http.StatusNotFound)
		return
	}
	name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
	if info, err := fs.Stat(files, name); err != nil || info.IsDir() {
		name = "index.html"
		w.Header().Set("Cache-Control", "no-cache")
	} else if strings.HasPrefix(name, "assets/") {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable") // their names change with their content
	}
	http.ServeFileFS(w, r, files, name)
}
