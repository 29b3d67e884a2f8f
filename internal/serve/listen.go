package serve

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log"
	"net"
	"net/http"
	"strconv"
	"syscall"
	"time"
)

// DefaultPort is the usual port.
const DefaultPort = 7300

// morePorts is the number of ports after the usual one that are tried.
const morePorts = 20

// Listen listens on an address. Port 0 means the usual port or, if that is
// taken, the next free one. The error is that the address cannot be used.
func Listen(address string, port int) (net.Listener, error) {
	first, last := port, port
	if port == 0 {
		first, last = DefaultPort, DefaultPort+morePorts
	}
	for p := first; ; p++ {
		l, err := net.Listen("tcp", net.JoinHostPort(address, strconv.Itoa(p)))
		switch {
		case err == nil:
			return l, nil
		case p < last && errors.Is(err, syscall.EADDRINUSE):
			continue
		case errors.Is(err, syscall.EADDRINUSE):
			return nil, fmt.Errorf("port %d is in use", p)
		}
		return nil, fmt.Errorf("cannot listen on %s: %w", address, err)
	}
}

// Limits of connections: a slow or hostile client must not hinder others.
const (
	headerTime = 10 * time.Second
	idleTime   = 2 * time.Minute
	maxHeader  = 32 << 10 // in bytes
)

// Run serves requests until the context is cancelled. It then ends all
// connections at once, without waiting for responses in progress.
func (s *Server) Run(ctx context.Context, l net.Listener) error {
	server := &http.Server{Handler: s, ReadHeaderTimeout: headerTime, IdleTimeout: idleTime,
		MaxHeaderBytes: maxHeader, ErrorLog: log.New(io.Discard, "", 0)}
	stop := context.AfterFunc(ctx, func() {
		s.Close()
		_ = server.Close()
	})
	defer stop()
	if err := server.Serve(l); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}
