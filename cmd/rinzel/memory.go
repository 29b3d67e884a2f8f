package main

import (
	"runtime"
	"runtime/debug"
	"runtime/metrics"
)

// Limits of heap growth before a garbage collection, in percent of the live
// heap. A build is short and allocates trees that live until its end:
// collecting rarely saves a fifth of its time. If the live heap is large, it is
// collected after maxGarbage bytes of garbage, but not more often than
// leastGrowth allows.
const (
	mostGrowth  = 400
	leastGrowth = 40
	maxGarbage  = 112 << 20
)

// tuneCollector sets how often garbage is collected, now and after each
// collection.
func tuneCollector() {
	debug.SetGCPercent(mostGrowth)
	afterCollection()
}

// afterCollection adjusts the percentage after the next collection, repeatedly.
func afterCollection() {
	// An unreachable block is cleaned up by the next collection.
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
