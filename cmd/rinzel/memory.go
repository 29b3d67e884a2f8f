package main

import (
	"runtime"
	"runtime/debug"
	"runtime/metrics"
)

// How far the heap grows, in percent of what is in use, before the garbage collector runs. A build is short and allocates trees
// that stay: collecting seldom takes a fifth off its time. Where much is in use, so that garbage would take much as well, it is
// collected as soon as there are maxGarbage bytes of it, but not more often than the least percentage has it.
const (
	mostGrowth  = 400
	leastGrowth = 40
	maxGarbage  = 112 << 20
)

// tuneCollector sets how often garbage is collected, now and after each collection.
func tuneCollector() {
	debug.SetGCPercent(mostGrowth)
	afterCollection()
}

// afterCollection has the percentage be set anew after the next collection, and so on.
func afterCollection() {
	// A block that nothing uses is cleaned up by the next collection.
	runtime.AddCleanup(new([16]byte), func(int) {
		sample := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
		metrics.Read(sample)
		if sample[0].Value.Kind() == metrics.KindUint64 {
			live := max(1, sample[0].Value.Uint64())
			debug.SetGCPercent(int(min(mostGrowth, max(leastGrowth, maxGarbage*100/live))))
		}
		afterCollection()
	}, 0)
}
