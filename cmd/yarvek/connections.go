package main

import (
	"net"
	"net/netip"
	"sync"

	"yarvek/internal/web"
)

// fewEach lets each address that is not this machine's have so many connections at once: nobody holds all there are.
type fewEach struct {
	net.Listener
	most int

	mu   sync.Mutex
	open map[string]int
}

// Accept gives the next connection of an address that has room; others are closed at once.
func (l *fewEach) Accept() (net.Conn, error) {
	for {
		c, err := l.Listener.Accept()
		if err != nil {
			return nil, err
		}
		at := line(c.RemoteAddr())
		if at == "" {
			return c, nil
		}
		l.mu.Lock()
		if l.open == nil {
			l.open = map[string]int{}
		}
		free := l.open[at] < l.most
		if free {
			l.open[at]++
		}
		l.mu.Unlock()
		if free {
			return &counted{Conn: c, left: sync.OnceFunc(func() { l.leave(at) })}, nil
		}
		_ = c.Close()
	}
}

func (l *fewEach) leave(at string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.open[at]--; l.open[at] <= 0 {
		delete(l.open, at)
	}
}

// counted is a connection that is counted until it is closed.
type counted struct {
	net.Conn
	left func()
}

// Close closes it.
func (c *counted) Close() error {
	c.left()
	return c.Conn.Close()
}

// line is whose connection it is, by its address; "" for this machine itself, and for what has none.
func line(a net.Addr) string {
	at, err := netip.ParseAddrPort(a.String())
	if err != nil || at.Addr().IsLoopback() {
		return ""
	}
	return web.Network(at.Addr().String())
}
