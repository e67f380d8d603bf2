package api_test

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/api"
	"urbo/service"
)

// FuzzSignIn signs in with any body, cookie and token: nobody is let in, and nothing fails but the sign-in.
func FuzzSignIn(f *testing.F) {
	house, err := service.Open(f.Context(), service.Config{Dir: f.TempDir(), Version: "test"})
	require.NoError(f, err)
	f.Cleanup(func() { require.NoError(f, house.Close()) })
	handler := api.New(house, api.Options{})
	f.Add([]byte(`{"ticket":"x"}`), "Bearer x", "urbo_session=x", "application/json")
	f.Add([]byte(`{"ticket":["x"],"ticket":null}`), "Basic eDp4", "a=b; urbo_session_"+house.ID+"=", "text/plain")
	f.Add([]byte("\x00"), "", "", "")
	number := 0
	f.Fuzz(func(t *testing.T, body []byte, token, cookie, kind string) {
		number++
		for _, ask := range [][2]string{{"POST", "/api/sign-in"}, {"GET", "/api/me"}, {"GET", "/station"}} {
			r := httptest.NewRequest(ask[0], "http://127.0.0.1"+ask[1], bytes.NewReader(body))
			r.RemoteAddr = fmt.Sprintf("10.%d.%d.%d:999", number>>16&255, number>>8&255, number&255)
			r.Header["Authorization"], r.Header["Cookie"] = []string{token}, []string{cookie}
			r.Header["Content-Type"] = []string{kind}
			w := httptest.NewRecorder()
			handler.ServeHTTP(w, r)
			resp := w.Result()
			_, err := io.Copy(io.Discard, resp.Body)
			require.NoError(t, err)
			assert.GreaterOrEqual(t, resp.StatusCode, http.StatusBadRequest, "%s %s", ask[0], ask[1])
			assert.Less(t, resp.StatusCode, http.StatusInternalServerError, "%s %s", ask[0], ask[1])
			assert.Empty(t, resp.Cookies())
		}
	})
}
