// Package web holds the built console. Until it is built there is only a placeholder, so that the rest compiles.
package web

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Dist is the built console: index.html and its assets. Built is false where only the placeholder is there.
func Dist() (files fs.FS, built bool) {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	_, err = fs.Stat(files, "index.html")
	return files, err == nil
}
