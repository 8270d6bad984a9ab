package main

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"yarvek/internal/demo"
	"yarvek/internal/store"
	"yarvek/internal/web"
	"yarvek/internal/work"
)

// defaultAddr is where Yarvek listens unless told otherwise: this machine only.
const defaultAddr = "127.0.0.1:7340"

type serving struct {
	addr   string
	data   string
	hosts  []string
	cert   string
	key    string
	limits work.Limits
	backup rolling
	most   int // connections of an address
	boxes  []string
	open   bool // the browser, once it answers
	demo   bool // with the demo kit, where there is no kit
}

func (s *serving) flags(c *cobra.Command) {
	s.limits = work.DefaultLimits
	c.Flags().StringVar(&s.addr, "addr", "", "address to listen on; without it "+defaultAddr+", or where that port is "+
		"taken the next free one")
	c.Flags().StringSliceVar(&s.hosts, "host", nil, "further host names this server may be addressed by")
	c.Flags().StringVar(&s.cert, "cert", "", "certificate for TLS, a PEM file; with --key")
	c.Flags().StringVar(&s.key, "key", "", "key of the certificate, a PEM file")
	c.Flags().Int64Var(&s.limits.Upload, "max-upload", s.limits.Upload, "bytes of one upload")
	c.Flags().Int64Var(&s.limits.Unzipped, "max-unzipped", s.limits.Unzipped, "bytes the zips of an upload may unpack to")
	c.Flags().Int64Var(&s.limits.Kit, "max-kit", s.limits.Kit, "bytes of a kit's files and exports, 0 for any number")
	c.Flags().Int64Var(&s.limits.Person, "max-person", s.limits.Person,
		"bytes that each who signs in may bring in, 0 for any number")
	c.Flags().IntVar(&s.most, "max-connections", 160,
		"connections that an address may have at once; more behind a proxy, whose address all have")
	c.Flags().StringArrayVar(&s.boxes, "outbox", nil, "KIT=FOLDER: exports of the kit, by its name or number, may be "+
		"written into that folder of this machine; may be given again")
	s.backup.flags(c.Flags())
	c.Flags().IntVar(&s.limits.ZipFiles, "max-zip-files", s.limits.ZipFiles, "files in the zips of an upload")
}

func serveCommand() *cobra.Command {
	var s serving
	c := &cobra.Command{Use: "serve", Short: "Serve the workbench on your own data", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			return s.run(c.Context(), c.OutOrStdout())
		}}
	s.flags(c)
	c.Flags().BoolVar(&s.open, "open", false, "open it in the browser")
	dataFlag(c.Flags(), &s.data)
	return c
}

func demoCommand() *cobra.Command {
	s := serving{demo: true}
	c := &cobra.Command{Use: "demo", Short: "Serve the workbench with the demo kit, in a data folder of its own",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			return s.run(c.Context(), c.OutOrStdout())
		}}
	s.flags(c)
	c.Flags().BoolVar(&s.open, "open", false, "open it in the browser")
	c.Flags().StringVar(&s.data, "data", "demo-data", "folder that holds everything")
	return c
}

// grace is how long requests under way may take once the program is told to end.
const grace = 10 * time.Second

// collectAt is how much the heap may grow, in per cent of what is in use, before memory is
// collected: less than usual, since what is computed for a page is large and short-lived.
const collectAt = 50

// How long one that has the folder may take until it answers: long where that page is all that is wanted.
const (
	firstAnswers     = time.Second
	firstAnswersHome = 10 * time.Second
)

// begin makes the demo kit where there is no kit, and has it filled in the background.
func begin(ctx context.Context, d *work.Desk) error {
	kits, err := d.Kits(ctx)
	if err != nil || len(kits) > 0 {
		return err
	}
	_, err = demo.Begin(ctx, d)
	return err
}

// run serves the data folder until ctx ends. The error is a *errRuns where another server has it and answers.
func (s *serving) run(ctx context.Context, out io.Writer) error {
	debug.SetGCPercent(collectAt)
	if err := s.backup.check(); err != nil {
		return err
	}
	dir, err := filepath.Abs(s.data)
	if err != nil {
		return err
	}
	st, err := store.Open(dir)
	if errors.Is(err, store.ErrInUse) {
		wait := firstAnswers
		if s.open {
			wait = firstAnswersHome
		}
		if url := running(ctx, dir, wait); url != "" {
			return &errRuns{url, dir}
		}
		return fmt.Errorf("%s is in use by another Yarvek. Go to the address that one printed, end it first, or name "+
			"another folder "+
			"with --data", dir)
	}
	if err != nil {
		return err
	}
	defer st.Close()
	log := slog.New(slog.NewTextHandler(os.Stderr, nil))
	desk := work.New(st, s.limits, log)
	defer desk.Close()
	desk.Fillers = demo.Fillers()
	if err := desk.Resume(ctx); err != nil {
		return err
	}
	if s.demo {
		if err := begin(ctx, desk); err != nil {
			return err
		}
	}
	for _, b := range s.boxes {
		kit, dir, ok := strings.Cut(b, "=")
		if !ok || kit == "" || dir == "" {
			return fmt.Errorf("--outbox %s: expected KIT=FOLDER", b)
		}
		if err := desk.Allow(ctx, kit, dir); err != nil {
			return fmt.Errorf("--outbox %s: %w", b, err)
		}
	}
	if (s.cert == "") != (s.key == "") {
		return errors.New("--cert and --key go together")
	}
	shared, err := s.shared(ctx, st, dir)
	if err != nil {
		return err
	}
	l, err := listen(s.addr)
	if err != nil {
		return err
	}
	if s.addr == "" && l.Addr().String() != defaultAddr {
		fmt.Fprintf(out, "Something else listens on %s, so another port was taken.\n", defaultAddr)
	}
	l = &fewEach{Listener: l, most: s.most}
	names := reached(l.Addr())
	handler := web.New(desk, log, append(names, s.hosts...)...)
	if shared {
		handler.Guard(st, st.Sessions(), s.cert != "")
	}
	srv := &http.Server{Handler: handler.Handler(), ReadHeaderTimeout: 10 * time.Second,
		IdleTimeout: 2 * time.Minute,
		ErrorLog:    slog.NewLogLogger(log.Handler(), slog.LevelWarn)}
	tidying, stop := context.WithCancel(ctx)
	tidied := make(chan struct{})
	go func() { defer close(tidied); desk.Tidy(tidying) }()
	rolled := make(chan struct{})
	go func() { defer close(rolled); s.backup.run(tidying, desk, dir, log) }()
	defer func() { stop(); <-tidied; desk.Jobs.Close(); <-rolled }()
	scheme := "http"
	if s.cert != "" {
		scheme = "https"
		pair, err := tls.LoadX509KeyPair(s.cert, s.key)
		if err != nil {
			return fmt.Errorf("the certificate can't be used: %w", err)
		}
		l = tls.NewListener(l, &tls.Config{Certificates: []tls.Certificate{pair}, NextProtos: []string{"http/1.1"}})
	}
	_, port, _ := net.SplitHostPort(l.Addr().String()) // a listener's own address
	url := scheme + "://" + net.JoinHostPort(names[0], port)
	fmt.Fprintf(out, "Yarvek is at %s\nIts data is in %s\n", url, dir)
	if err := os.WriteFile(addressFile(dir), []byte(url+"\n"), 0o600); err != nil {
		log.Warn("a second start will not find this one", "error", err)
	}
	defer os.Remove(addressFile(dir))
	if shared {
		fmt.Fprintln(out, "Others on the network can reach it; they sign in with accounts of `yarvek user add`.")
		if s.cert == "" {
			fmt.Fprintln(out, "Without --cert and --key, passphrases and files cross the network in the clear: use it where "+
				"you trust "+
				"the network, or behind a proxy that speaks TLS.")
		}
	}
	fmt.Fprintln(out, "Press Ctrl+C to end.")
	if s.open {
		openBrowser(out, url)
	}
	return serve(ctx, srv, l)
}

// shared tells whether others than this machine can reach the address, and refuses to
// open an installation to them that nobody can sign in to.
func (s *serving) shared(ctx context.Context, st *store.Store, dir string) (bool, error) {
	host, _, err := net.SplitHostPort(s.addr)
	if err != nil {
		return false, nil // listen says what is wrong with it
	}
	if ip := net.ParseIP(host); host == "localhost" || ip != nil && ip.IsLoopback() {
		return false, nil
	}
	people, err := st.Everybody(ctx)
	if err != nil {
		return false, err
	}
	if len(people) == 0 {
		return false, fmt.Errorf(
			"with --addr %s everybody on the network could open, change and take what is in %s. Add those who "+
				"may sign in first, each with: yarvek user add NAME --data %s. Or leave --addr out to serve this machine alone",
			s.addr, dir, s.data)
	}
	return true, nil
}

// reached are the names a listener can be reached by: its own address, or when it listens
// on all, those of this machine, one that others can use first.
func reached(at net.Addr) []string {
	tcp, ok := at.(*net.TCPAddr)
	if !ok {
		return nil
	}
	if !tcp.IP.IsUnspecified() {
		return []string{tcp.IP.String()}
	}
	var names []string
	list, _ := net.InterfaceAddrs() // none: loopback is left
	for _, a := range list {
		if n, ok := a.(*net.IPNet); ok && !n.IP.IsLoopback() && !n.IP.IsLinkLocalUnicast() {
			names = append(names, n.IP.String())
		}
	}
	if name, err := os.Hostname(); err == nil {
		names = append(names, strings.ToLower(name))
	}
	return append(names, "127.0.0.1")
}

// serve answers until ctx ends, and then gives requests under way their grace before it
// returns. An upload that was being received is received; a second signal ends at once.
func serve(ctx context.Context, srv *http.Server, l net.Listener) error {
	ended := make(chan error, 1)
	go func() { ended <- srv.Serve(l) }()
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	wait, cancel := context.WithTimeout(context.Background(), grace)
	defer cancel()
	if err := srv.Shutdown(wait); err != nil {
		_ = srv.Close() // those that took longer break off
	}
	<-ended
	return nil
}

// listen takes an address, and with none the usual one, or the next free port after it.
func listen(addr string) (net.Listener, error) {
	host, port, err := net.SplitHostPort(cmp.Or(addr, defaultAddr))
	if err != nil {
		return nil, fmt.Errorf("%q is no address: expected one such as %s", addr, defaultAddr)
	}
	p, err := strconv.Atoi(port)
	if err != nil || p < 0 || p > 65535 {
		return nil, fmt.Errorf("%q is no port", port)
	}
	tries := 50
	if addr != "" {
		tries = 1 // somebody relies on it
	}
	var first error
	for i := range tries {
		l, err := net.Listen("tcp", net.JoinHostPort(host, strconv.Itoa(p+i)))
		if err == nil {
			return l, nil
		}
		if first == nil {
			first = err
		}
	}
	if addr != "" {
		return nil, fmt.Errorf("%s can't be listened on: %w. End what has it, or name another one with --addr", addr, first)
	}
	return nil, first
}
