package main

import (
	"net"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// from is a listener whose connections come from some addresses in turn.
type from struct {
	at []string
	n  int
}

// end is one side of a connection from an address.
type end struct {
	net.Conn
	at     string
	closed *int
}

func (e end) RemoteAddr() net.Addr { a, _ := net.ResolveTCPAddr("tcp", e.at); return a }
func (e end) Close() error         { *e.closed++; return nil }

func TestEachAddressHasSoManyConnections(t *testing.T) {
	closed := 0
	f := &from{}
	l := &fewEach{Listener: accepting(func() (net.Conn, error) {
		if f.n == len(f.at) {
			return nil, net.ErrClosed
		}
		f.n++
		return end{at: f.at[f.n-1], closed: &closed}, nil
	}), most: 2}
	f.at = []string{"10.0.0.1:1", "10.0.0.1:2", "10.0.0.1:3", "10.0.0.2:1", "[2001:db8::1]:1", "[2001:db8::2]:1",
		"[2001:db8::3]:1", "[2001:db8:0:1::3]:1", "127.0.0.1:1", "127.0.0.1:2", "127.0.0.1:3"}
	var open []net.Conn
	for {
		c, err := l.Accept()
		if err != nil {
			break
		}
		open = append(open, c)
	}
	assert.Len(t, open, 9)
	assert.Equal(t, 2, closed, "the third of a line, each time")
	require.NoError(t, open[0].Close())
	require.NoError(t, open[0].Close(), "twice is once")
	f.at = append(f.at, "10.0.0.1:4", "10.0.0.1:5")
	_, err := l.Accept()
	require.NoError(t, err, "there is room again")
	_, err = l.Accept()
	assert.Error(t, err)
}

// accepting is a listener that is only a function.
type accepting func() (net.Conn, error)

func (a accepting) Accept() (net.Conn, error) { return a() }
func (a accepting) Close() error              { return nil }
func (a accepting) Addr() net.Addr            { return &net.TCPAddr{} }
