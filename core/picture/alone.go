package picture

import (
	"context"
	"runtime"
)

// largePixels is from how many pixels on a picture is opened alone: decoded it holds four bytes a pixel, besides what
// its decoder takes meanwhile.
const largePixels = 4 << 20

// sweptPixels is from how many pixels on what a picture held is given back before the next is opened.
const sweptPixels = 16 << 20

// alone is held by who has a large picture open: there is one at a time in the whole process, whoever asks.
var alone = make(chan struct{}, 1)

// Alone waits until a picture of so many pixels may be opened, and gives what is to be called once it is not needed
// any more; small ones need not wait. Nobody opens a second large one meanwhile. When ctx ends it returns at once.
func Alone(ctx context.Context, pixels int) (done func()) {
	if pixels < largePixels {
		return func() {}
	}
	select {
	case alone <- struct{}{}:
	case <-ctx.Done():
		return func() {}
	}
	return func() {
		if pixels >= sweptPixels {
			runtime.GC()
		}
		<-alone
	}
}
