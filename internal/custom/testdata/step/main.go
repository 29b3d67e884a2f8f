// Command step is a step for tests, as a program and as a module. The text tells
// it what to do.
package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"strings"
	"time"
)

func main() {
	in := json.NewDecoder(bufio.NewReader(os.Stdin))
	out := json.NewEncoder(os.Stdout)
	for count := 1; ; count++ {
		var req struct{ Text, Path, Profile, Step, On string }
		if err := in.Decode(&req); err != nil {
			return
		}
		what, rest, _ := strings.Cut(req.Text, " ")
		answer := map[string]any{"text": strings.ToUpper(req.Text)}
		switch what {
		case "again":
			answer = map[string]any{"text": fmt.Sprint(count), "more": true}
		case "about":
			answer["text"] = fmt.Sprintln(req.Step, req.On, req.Path, req.Profile, os.Getenv("RINZEL_PATH"))
		case "env":
			answer["text"] = os.Getenv(rest)
		case "get":
			var file struct{ Path, Text, Error string }
			for _, name := range strings.Fields(rest) {
				_ = out.Encode(map[string]string{"get": name})
				_ = in.Decode(&file)
			}
			answer["text"] = file.Path + "|" + file.Text + "|" + file.Error
		case "open":
			_, err := os.ReadFile(rest)
			answer["text"] = fmt.Sprint(err != nil)
		case "create":
			answer["text"] = fmt.Sprint(os.WriteFile(rest, nil, 0o600) != nil)
		case "dial":
			_, err := net.DialTimeout("tcp", rest, time.Second)
			answer["text"] = fmt.Sprint(err != nil)
		case "random":
			answer["text"] = fmt.Sprint(rand.Uint64(), time.Now().UnixNano()/1e9)
		default:
			misbehave(what, rest)
		}
		_ = out.Encode(answer)
		if answer["more"] == nil {
			return
		}
	}
}

// misbehave does what a broken step may do.
func misbehave(what, rest string) {
	switch what {
	case "loop":
		for x := 0; ; x++ {
			if x < 0 {
				fmt.Println(x)
			}
		}
	case "eat":
		var list [][]byte
		for {
			block := make([]byte, 16<<20)
			for i := range block {
				block[i] = 1
			}
			list = append(list, block)
		}
	case "trap":
		var p *int
		*p = 1
	case "exit":
		fmt.Fprintln(os.Stderr, "line 3: no such tide")
		os.Exit(3)
	case "half":
		fmt.Print(`{"text": "qua`)
		os.Exit(0)
	case "halffails":
		fmt.Print(`{"text": "qua`)
		os.Exit(4)
	case "silent":
		os.Exit(0)
	case "chatter":
		for {
			fmt.Println(strings.Repeat(" ", 1<<16))
		}
	case "noise":
		for {
			fmt.Fprintln(os.Stderr, strings.Repeat("tide ", 1<<10))
		}
	case "wrong":
		fmt.Println(rest)
		os.Exit(0)
	case "late":
		fmt.Println(`{"text": "ok"}`)
		os.Exit(5)
	case "hang":
		fmt.Fprintln(os.Stderr, "waiting for the tide")
		time.Sleep(time.Hour)
	case "fork":
		fork(rest)
		time.Sleep(time.Hour)
	}
}

// fork starts children that run for a long time, and writes their process IDs to
// a file.
func fork(file string) {
	child := exec.Command("sleep", "3600")
	child.Stdout, child.Stderr = os.Stdout, os.Stderr
	_ = child.Start()
	apart := exec.Command("setsid", "sleep", "3600")
	_ = apart.Start()
	_ = os.WriteFile(file, fmt.Appendln(nil, child.Process.Pid, apart.Process.Pid), 0o600)
}
