package api

import (
	"encoding/pem"
	"html/template"
	"net/http"

	"github.com/go-chi/chi/v5"

	"urbo/service/certs"
)

// trustPath is the page that says how a phone comes to trust the house. It is open to everybody: there is no secret on
// it.
const trustPath = "/trust"

func (a *API) trustURL() string {
	if a.authority == nil {
		return ""
	}
	return a.url + trustPath
}

var trustPage = template.Must(template.New("trust").Parse(`<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>Trust this house</title>
<style>
body { font: 1.05rem/1.5 system-ui, sans-serif; max-width: 36rem; margin: 2rem auto; padding: 0 1rem;
  background: #F7F5F0; color: #1B2330; }
h1 { font-size: 1.6rem; } code { font-size: 1rem; overflow-wrap: anywhere; }
a.get { display: inline-block; padding: .7rem 1.1rem; border: 2px solid #1B2330; border-radius: 3px; color: inherit;
  font-weight: 600; text-decoration: none; }
@media (prefers-color-scheme: dark) { body { background: #161B23; color: #ECE8DF; } a.get { border-color: #ECE8DF; } }
</style>
<h1>Trust this house</h1>
<p>Urbo speaks TLS with a certificate that this house made itself. A phone or computer that trusts the house's authority
shows no warning any more, and keeps the page as an app.</p>
<p><a class="get" href="/trust/authority.crt" download>Get the authority's certificate</a></p>
<ol>
<li>Compare its fingerprint with what <code>urbo tls show</code> prints on the machine that runs Urbo:<br>
<code>{{.Fingerprint}}</code></li>
<li>On a phone: open the file, or search the settings for <b>certificate</b> and install it as an authority (CA). Some
phones then want it switched on a second time, where they list trusted authorities.</li>
<li>On a computer: import it as an authority in the settings of the browser, or of the system.</li>
<li>Close this page, and open Urbo again.</li>
</ol>
<p>It is good until {{.Expires.Format "2006-01-02"}}, for {{range $i, $h := .Hosts}}{{if $i}},
	{{end}}{{$h}}{{end}}. Whoever has
the house's data directory can make certificates with it: keep that to yourself; a backup does not contain it.</p>
</html>
`))

// trustPages serves how to trust an authority, and its certificate.
func trustPages(r chi.Router, a certs.Authority) {
	r.Get(trustPath, func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = trustPage.Execute(w, a)
	})
	r.Get(trustPath+"/authority.crt", func(w http.ResponseWriter, _ *http.Request) {
		block, _ := pem.Decode(a.PEM)
		w.Header().Set("Content-Type", "application/x-x509-ca-cert")
		w.Header().Set("Content-Disposition", `attachment; filename="urbo-authority.crt"`)
		_, _ = w.Write(block.Bytes)
	})
}
