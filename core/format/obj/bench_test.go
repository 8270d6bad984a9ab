package obj

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"math"
	"runtime"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"yarvek/core/format/bundle"
)

// terrain makes an OBJ of about 45 MB with 870 000 triangles: points, normals and
// texture coordinates of a wavy sheet.
func terrain() []byte {
	const nx, ny = 660, 660 // 868 562 triangles
	var b bytes.Buffer
	b.WriteString("o terrain\n")
	for y := range ny {
		for x := range nx {
			h := math.Sin(float64(x)*0.031) * math.Cos(float64(y)*0.047)
			fmt.Fprintf(&b, "v %.3f %.4f %.3f\nvt %.3f %.3f\n", float64(x)*0.1, h, float64(y)*0.1, float64(x)/nx, float64(y)/ny)
		}
	}
	b.WriteString("usemtl rock\n")
	for y := range ny - 1 {
		for x := range nx - 1 {
			i := y*nx + x + 1
			fmt.Fprintf(&b, "f %d/%d %d/%d %d/%d\nf %d/%d %d/%d %d/%d\n",
				i, i, i+nx, i+nx, i+1, i+1, i+1, i+1, i+nx, i+nx, i+nx+1, i+nx+1)
		}
	}
	return b.Bytes()
}

// plainRead is the reader everybody writes first.
func plainRead(data []byte) (points, uvs [][3]float64, corners [][3]int, err error) {
	sc := bufio.NewScanner(bytes.NewReader(data))
	for sc.Scan() {
		w := strings.Fields(sc.Text())
		if len(w) == 0 {
			continue
		}
		switch w[0] {
		case "v", "vt":
			var p [3]float64
			for i := 1; i < len(w); i++ {
				if p[i-1], err = strconv.ParseFloat(w[i], 64); err != nil {
					return
				}
			}
			if w[0] == "v" {
				points = append(points, p)
			} else {
				uvs = append(uvs, p)
			}
		case "f":
			for _, c := range w[1:] {
				var k [3]int
				for i, s := range strings.Split(c, "/") {
					if k[i], err = strconv.Atoi(s); err != nil {
						return
					}
				}
				corners = append(corners, k)
			}
		}
	}
	return
}

// peak runs f while watching the heap and returns the most it held beyond the start.
func peak(f func()) uint64 {
	runtime.GC()
	var base, ms runtime.MemStats
	runtime.ReadMemStats(&base)
	var most atomic.Uint64
	stop, done := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(done)
		for {
			select {
			case <-stop:
				return
			case <-time.After(2 * time.Millisecond):
				runtime.ReadMemStats(&ms)
				most.Store(max(most.Load(), ms.HeapAlloc))
			}
		}
	}()
	f()
	close(stop)
	<-done
	return most.Load() - min(most.Load(), base.HeapAlloc)
}

// BenchmarkReadAgainstPlain reports how many times as fast as the plain reader
// Read is on the same bytes in the same run, and its peak memory against the file.
func BenchmarkReadAgainstPlain(b *testing.B) {
	data := terrain()
	set := bundle.New([]bundle.File{{Name: "t.obj", Data: data}})
	best := func(n int, f func()) time.Duration {
		least := time.Duration(math.MaxInt64)
		for range n {
			runtime.GC()
			start := time.Now()
			f()
			least = min(least, time.Since(start))
		}
		return least
	}
	for b.Loop() {
		slow := best(2, func() {
			if _, _, _, err := plainRead(data); err != nil {
				b.Fatal(err)
			}
		})
		triangles := 0
		read := func() {
			s, _, err := Read(context.Background(), set, "t.obj", nil)
			if err != nil {
				b.Fatal(err)
			}
			triangles = s.Count().Triangles
		}
		fast := best(4, read)
		b.ReportMetric(slow.Seconds()/fast.Seconds(), "times-as-fast")
		b.ReportMetric(float64(len(data))/1e6/fast.Seconds(), "MB/s")
		b.ReportMetric(float64(peak(read))/float64(len(data)), "peak/file")
		b.ReportMetric(float64(len(data))/1e6, "file-MB")
		b.ReportMetric(float64(triangles), "triangles")
	}
}
