package cli_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"rinzel/internal/browsertest"
)

// residentMemory returns the memory of a process in bytes.
func residentMemory(t *testing.T, pid int) int {
	t.Helper()
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(status)) {
		if rest, ok := strings.CutPrefix(line, "VmRSS:"); ok {
			n, err := strconv.Atoi(strings.Fields(rest)[0])
			if err != nil {
				t.Fatal(err)
			}
			return n << 10
		}
	}
	t.Fatal("no VmRSS")
	return 0
}

// pageMemory is what a page uses after a garbage collection.
type pageMemory struct{ heap, nodes, listeners int }

// memoryOf returns the memory of a page.
func memoryOf(t *testing.T, page *browsertest.Page) pageMemory {
	t.Helper()
	page.Call("HeapProfiler.collectGarbage", nil, nil)
	var usage struct{ UsedSize float64 }
	page.Call("Runtime.getHeapUsage", nil, &usage)
	var counters struct{ Nodes, JSEventListeners int }
	page.Call("Memory.getDOMCounters", nil, &counters)
	return pageMemory{int(usage.UsedSize), counters.Nodes, counters.JSEventListeners}
}

// TestServeEndurance saves sheets, a page and an image many times, and checks
// that the memory of the server and of an open page stays level.
func TestServeEndurance(t *testing.T) {
	b := browsertest.Start(t)
	w, dir, address := startDemo(t)
	page := b.Open(address)
	page.Eval(`window.mark = 1`, new(int))
	read := func(name string) string {
		text, err := os.ReadFile(filepath.Join(dir, "site", filepath.FromSlash(name)))
		if err != nil {
			t.Fatal(err)
		}
		return string(text)
	}
	write := func(name, text string) {
		if err := os.WriteFile(filepath.Join(dir, "site", filepath.FromSlash(name)), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	sheet, home, boat := read("css/parts/header.css"), read("index.html"), read("img/ferry.svg")
	go func() {
		for range w.lines { // nobody reads them
		}
	}()
	edits := stressed(100)
	var server int
	var tab pageMemory
	for n := range edits {
		switch n % 10 {
		case 8:
			write("index.html", strings.Replace(home, "<body", fmt.Sprintf("<body data-n=%d", n), 1))
		case 9:
			write("img/ferry.svg", boat+fmt.Sprintf("<!-- %d -->", n))
			time.Sleep(30 * time.Millisecond)
			continue
		default:
			write("css/parts/header.css", sheet+fmt.Sprintf("\n.site-header { outline: 0 solid rgb(%d, %d, 7) }\n", n/250, n%250))
		}
		want := map[bool]string{true: fmt.Sprintf(`document.body.dataset.n === "%d"`, n), false: fmt.Sprintf(
			`getComputedStyle(document.querySelector(".site-header")).outlineColor === "rgb(%d, %d, 7)"`, n/250, n%250)}[n%10 == 8]
		var ok bool
		for end := time.Now().Add(10 * time.Second); !ok && time.Now().Before(end); {
			page.Eval(want, &ok)
		}
		if !ok {
			t.Fatalf("edit %d never arrived", n)
		}
		if n == edits/5 { // after it has warmed up
			server, tab = residentMemory(t, w.cmd.Process.Pid), memoryOf(t, page)
		}
	}
	serverNow, tabNow := residentMemory(t, w.cmd.Process.Pid), memoryOf(t, page)
	t.Logf("%d edits: server %d to %d MB; page %d to %d kB, %d to %d nodes, %d to %d listeners", edits, server>>20, serverNow>>20,
		tab.heap>>10, tabNow.heap>>10, tab.nodes, tabNow.nodes, tab.listeners, tabNow.listeners)
	if serverNow > server*2+20<<20 {
		t.Errorf("the server uses %d MB, %d before", serverNow>>20, server>>20)
	}
	if tabNow.heap > tab.heap*2+1<<20 || tabNow.nodes > tab.nodes+200 || tabNow.listeners > tab.listeners+20 {
		t.Errorf("the page uses %+v, %+v before", tabNow, tab)
	}
	var mark int
	if page.Eval(`window.mark ?? 0`, &mark); mark != 1 {
		t.Error("the page was loaded again")
	}
}
