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
		writeProblem(w, http.StatusNotFound, "There is nothing at "+r.URL.Path+": /api/openapi.json lists what there "+
			"is.")
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
	info, err := fs.Stat(files, name)
	missing := err != nil || info.IsDir()
	if missing && strings.HasPrefix(name, "assets/") { // of another version: the page loads itself again
		http.Error(w, "This part of the console is not there any more: load the page again.", http.StatusNotFound)
		return
	}
	if missing {
		name = "index.html"
		w.Header().Set("Cache-Control", "no-cache")
	} else if !strings.HasPrefix(name, "assets/") {
		w.Header().Set("Cache-Control", "no-cache")
	} else {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable") // their names change with their content
	}
	http.ServeFileFS(w, r, files, name)
}
