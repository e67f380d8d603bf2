package api

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"net"
	"net/http"
	"time"
)

// How long a caller may take. Nobody waits for ever, and nobody needs to hurry.
const (
	headTime  = 5 * time.Second  // for the head of a request
	idleTime  = time.Minute      // between two requests
	bodyTime  = 20 * time.Second // for a body, and more as it comes in
	bodyRate  = 4 << 10          // bytes a second that a body comes in at least, in the long run
	writeTime = 20 * time.Second // for each piece of an answer
	writeSize = 64 << 10         // bytes of a piece
)

// Server serves a handler on a listener: on the network, or on a Unix socket. Requests end with ctx. about adds to a
// connection's context who is at its other end, where that is known.
func Server(ctx context.Context, h http.Handler, about func(context.Context, net.Conn) context.Context) *http.Server {
	return &http.Server{
		Handler:           unhurried(h),
		ReadHeaderTimeout: headTime,
		IdleTimeout:       idleTime,
		MaxHeaderBytes:    32 << 10,
		ConnState:         follow,
		ErrorLog:          slog.NewLogLogger(slog.Default().Handler(), slog.LevelWarn),
		BaseContext:       func(net.Listener) context.Context { return ctx },
		ConnContext: func(ctx context.Context, c net.Conn) context.Context {
			return about(withConn(ctx, c), c)
		},
	}
}

// unhurried gives every body and every piece of an answer its time, and no more.
func unhurried(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		whole, over := func() {}, func() {}
		if g, ok := connOf(r.Context()); ok {
			whole, over = g.begin, g.end
		}
		control := http.NewResponseController(w)
		out := &timedWriter{ResponseWriter: w, control: control}
		defer out.extend() // for what is still in the buffer, and for an answer without a body
		if r.ContentLength == 0 || r.Body == nil {
			whole()
			defer over()
			next.ServeHTTP(out, r)
			return
		}
		body := &timedBody{ReadCloser: r.Body, control: control, began: time.Now(), whole: whole,
			hangUp: func() { w.Header().Set("Connection", "close") }}
		r.Body = body
		next.ServeHTTP(out, r)
		if body.ended {
			over()
		} else { // the rest is of no use: the server reads a little on, and then hangs up
			_ = control.SetReadDeadline(time.Now().Add(time.Second))
		}
	})
}

// timedBody is a request's body that must come in.
type timedBody struct {
	io.ReadCloser
	control *http.ResponseController
	began   time.Time
	size    int64
	ended   bool
	failed  bool
	whole   func() // called at its end
	hangUp  func() // called where it did not come in
}

// Read reads on.
func (b *timedBody) Read(p []byte) (int, error) {
	if !b.ended && !b.failed {
		_ = b.control.SetReadDeadline(b.began.Add(bodyTime + time.Duration(b.size/bodyRate)*time.Second))
	}
	n, err := b.ReadCloser.Read(p)
	b.size += int64(n)
	switch {
	case err == nil || b.ended:
	case errors.Is(err, io.EOF):
		b.ended = true
		b.whole()
		_ = b.control.SetReadDeadline(time.Time{}) // the server goes on listening for a caller who hangs up
	default: // it did not come in: what is left of it gets no time of its own
		b.failed = true
		b.hangUp()
		_ = b.control.SetReadDeadline(time.Now().Add(time.Second))
	}
	return n, err
}

// timedWriter is an answer that must be taken.
type timedWriter struct {
	http.ResponseWriter
	control *http.ResponseController
}

func (w *timedWriter) extend() { _ = w.control.SetWriteDeadline(time.Now().Add(writeTime)) }

// Write writes piece by piece.
func (w *timedWriter) Write(p []byte) (int, error) {
	done := 0
	for {
		w.extend()
		n, err := w.ResponseWriter.Write(p[done:min(done+writeSize, len(p))])
		if done += n; err != nil || done >= len(p) {
			return done, err
		}
	}
}

// Flush sends what is written so far.
func (w *timedWriter) Flush() {
	w.extend()
	_ = w.control.Flush()
}

// Unwrap is the answer without the time limit.
func (w *timedWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }
