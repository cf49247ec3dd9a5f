package app

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"strconv"
	"syscall"
	"time"

	"switchback.example/switchback/internal/door"
	"switchback.example/switchback/internal/live"
)

// HTTPS is how the web application is reached by HTTPS.
type HTTPS struct {
	Address string // and port; empty for none
	// Certificate and Key are PEM files, read again when they change. Without them the program
	// makes its own in Folder.
	Certificate, Key, Folder string
}

// Limits of the HTTP server.
const (
	readHeaderTimeout = 5 * time.Second
	readTimeout       = 60 * time.Second
	writeTimeout      = 10 * time.Minute // a stream of events sets its own
	idleTimeout       = 120 * time.Second
	maxHeaderBytes    = 64 << 10
	shutdownPatience  = 5 * time.Second
)

// hstsAge is for how long browsers are told to come by HTTPS only (RFC 6797 section 6.1.1).
const hstsAge = 365 * 24 * time.Hour

// checkHTTP says what is wrong with the addresses of the web application.
func (o Options) checkHTTP() error {
	host, _, err := net.SplitHostPort(o.HTTP)
	if err != nil {
		return fmt.Errorf("--http %q: use address and port such as 127.0.0.1:8480: %w", o.HTTP, err)
	}
	if at, err := netip.ParseAddr(host); host != "localhost" && (err != nil || !at.IsLoopback()) && !o.HTTPRemote {
		return fmt.Errorf("--http %q: HTTP carries passwords in clear text, so it is served on loopback only; use --https, or --http-remote=true where a trusted proxy is in front", o.HTTP)
	}
	h := o.HTTPS
	if h.Address == "" {
		return nil
	}
	if _, _, err := net.SplitHostPort(h.Address); err != nil {
		return fmt.Errorf("--https %q: use address and port such as 0.0.0.0:8443: %w", h.Address, err)
	}
	if (h.Certificate == "") != (h.Key == "") {
		return errors.New("https-certificate and https-key: set both, or neither")
	}
	if h.Certificate == "" && h.Folder == "" {
		return errors.New("https needs a certificate: set https-certificate and https-key, or https-dir for a self-made one")
	}
	return nil
}

// entrance is one way into the web application.
type entrance struct {
	net.Listener
	scheme string
	tls    *tls.Config // nil for HTTP
	// known tells that the certificate was given: browsers may be told to insist on HTTPS.
	// Told so of a self-made certificate, they let nobody in (RFC 6797 section 8.4).
	known bool
}

func (e entrance) url() string { return e.scheme + "://" + e.Addr().String() }

type entrances []entrance

// enter opens them. HTTP is first.
func enter(o Options) (list entrances, err error) {
	plain, err := listen(o)
	if err != nil {
		return nil, err
	}
	list = entrances{{Listener: plain, scheme: "http"}}
	if o.HTTPS.Address == "" {
		return list, nil
	}
	secure, err := enterHTTPS(o.HTTPS, o.Log)
	if err != nil {
		list.close()
		return nil, err
	}
	return append(list, secure), nil
}

func enterHTTPS(h HTTPS, log *slog.Logger) (e entrance, err error) {
	own := h.Certificate == ""
	if own {
		if h.Certificate, h.Key, err = door.SelfMade(h.Folder, hostsOf(h.Address), time.Now()); err != nil {
			return e, err
		}
	}
	c, err := door.Open(h.Certificate, h.Key, log)
	if err != nil {
		return e, err
	}
	if own {
		log.Warn("HTTPS uses a self-made certificate; compare its fingerprint in the browser", "sha256", c.Fingerprint())
	}
	listener, err := net.Listen("tcp", h.Address)
	if err != nil {
		return e, fmt.Errorf("--https: %w", err)
	}
	return entrance{Listener: listener, scheme: "https", tls: &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: c.Get}, known: !own}, nil
}

// hostsOf are the names by which this machine is asked for, as far as it knows.
func hostsOf(address string) []string {
	list := []string{"localhost", "127.0.0.1", "::1"}
	if host, _, _ := net.SplitHostPort(address); host != "" {
		if at, err := netip.ParseAddr(host); err != nil || !at.IsUnspecified() && !at.IsLoopback() {
			list = append(list, host)
		}
	}
	if name, err := os.Hostname(); err == nil && name != "" && name != "localhost" {
		list = append(list, name)
	}
	return list
}

// best is the address to give to people.
func (l entrances) best() string { return l[len(l)-1].url() }

func (l entrances) close() {
	for _, e := range l {
		_ = e.Close()
	}
}

// serve serves until the context ends, or one of them fails.
func (l entrances) serve(ctx context.Context, handler http.Handler, feed *live.Feed, o Options) error {
	failed := make(chan error, len(l))
	var servers []*http.Server
	var urls []string
	for _, e := range l {
		server := &http.Server{
			Handler: handler, ReadHeaderTimeout: readHeaderTimeout, ReadTimeout: readTimeout,
			WriteTimeout: writeTimeout, IdleTimeout: idleTimeout, MaxHeaderBytes: maxHeaderBytes, TLSConfig: e.tls,
			ErrorLog: slog.NewLogLogger(o.Log.Handler(), slog.LevelDebug), // handshakes of strangers
		}
		if e.known {
			server.Handler = insistOnHTTPS(handler)
		}
		server.RegisterOnShutdown(feed.Close) // streams of events end with it
		go func() {
			if e.tls != nil {
				failed <- server.ServeTLS(e.Listener, "", "")
				return
			}
			failed <- server.Serve(e.Listener)
		}()
		servers, urls = append(servers, server), append(urls, e.url())
	}
	if o.Ready != nil {
		o.Ready(urls...)
	}
	var err error
	select {
	case err = <-failed:
	case <-ctx.Done():
	}
	stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), shutdownPatience)
	defer cancel()
	for _, server := range servers {
		err = errors.Join(err, server.Shutdown(stop))
	}
	return err
}

func insistOnHTTPS(next http.Handler) http.Handler {
	value := "max-age=" + strconv.Itoa(int(hstsAge/time.Second))
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Strict-Transport-Security", value)
		next.ServeHTTP(w, r)
	})
}

// portsTried is how many ports are tried when the wished one is taken.
const portsTried = 20

func listen(o Options) (net.Listener, error) {
	listener, err := net.Listen("tcp", o.HTTP)
	if err == nil || !errors.Is(err, syscall.EADDRINUSE) {
		return listener, err
	}
	if !o.OtherPort {
		return nil, fmt.Errorf("%s is taken by another program; choose another with --http: %w", o.HTTP, err)
	}
	host, port, _ := net.SplitHostPort(o.HTTP) // checked
	n, _ := strconv.Atoi(port)
	for i := 1; i < portsTried; i++ {
		if listener, err := net.Listen("tcp", net.JoinHostPort(host, strconv.Itoa(n+i))); err == nil {
			o.Log.Warn("the port is taken by another program, another one is used", "wished", o.HTTP, "used", listener.Addr().String())
			return listener, nil
		}
	}
	return nil, fmt.Errorf("%s and the %d ports after it are taken: %w", o.HTTP, portsTried-1, err)
}
