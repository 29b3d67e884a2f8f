package objects_test

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"rinzel/internal/objects"
)

// TestWebDAV shares results through a real server.
func TestWebDAV(t *testing.T) {
	program, err := exec.LookPath("nginx")
	if err != nil {
		if program, err = exec.LookPath("/usr/sbin/nginx"); err != nil {
			if os.Getenv("RINZEL_BROWSER_REQUIRED") != "" {
				t.Fatal("nginx is not installed")
			}
			t.Skip("nginx is not installed")
		}
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := listener.Addr().String()
	_ = listener.Close()
	dir := t.TempDir()
	if err := os.Mkdir(filepath.Join(dir, "shared"), 0o700); err != nil {
		t.Fatal(err)
	}
	user := ""
	if os.Getuid() == 0 {
		user = "user root;"
	}
	config := fmt.Sprintf(`%s daemon off; master_process off; pid %[2]s/pid; error_log %[2]s/error.log;
events {}
http {
	access_log off; client_body_temp_path %[2]s/body; proxy_temp_path %[2]s/proxy;
	fastcgi_temp_path %[2]s/fastcgi; uwsgi_temp_path %[2]s/uwsgi; scgi_temp_path %[2]s/scgi;
	client_max_body_size 100m;
	server { listen %[3]s; root %[2]s/shared; dav_methods PUT; }
}`, user, dir, address)
	if err := os.WriteFile(filepath.Join(dir, "conf"), []byte(config), 0o600); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(program, "-p", dir, "-c", filepath.Join(dir, "conf"))
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
	}()
	for i := 0; ; i++ {
		conn, err := net.Dial("tcp", address)
		if err == nil {
			_ = conn.Close()
			break
		}
		if i == 200 {
			text, _ := os.ReadFile(filepath.Join(dir, "error.log"))
			t.Fatalf("the server does not start: %s", text)
		}
		time.Sleep(20 * time.Millisecond)
	}
	large := make([]byte, 3<<20)
	for i := range large {
		large[i] = byte(i * i >> 8)
	}
	url := "http://" + address + "/"
	one := objects.Open(objects.Options{Folder: t.TempDir(), URL: url})
	for i, data := range [][]byte{[]byte("tide"), nil, large} {
		key := objects.KeyOf(fmt.Append(nil, i))
		if got := get(one, key); got != "none" {
			t.Errorf("%d: an empty server has %d bytes", i, len(got))
		}
		one.Put(key, data)
		one.Close()
		other := objects.Open(objects.Options{Folder: t.TempDir(), URL: url})
		if got := get(other, key); got != string(data) {
			t.Errorf("%d: got %d bytes, want %d", i, len(got), len(data))
		}
		if other.Unreachable() {
			t.Errorf("%d: the server counts as unreachable", i)
		}
	}
}
