package custom

import (
	"context"
	"encoding/json"
	"fmt"

	"rinzel/internal/objects"
)

// Cached is a step whose results are stored. It is safe for concurrent use.
type Cached struct {
	runner *Runner
	store  *objects.Store
	// identity identifies the program or module, by its contents.
	identity []byte
}

// NewCached returns a step whose results are stored with the identity of its
// program or module.
func NewCached(r *Runner, store *objects.Store, identity []byte) *Cached {
	return &Cached{r, store, identity}
}

// FileHost is a [Host] that knows about files which steps read without asking.
type FileHost interface {
	Host
	// Depend returns what identifies the contents of a file in the project folder,
	// and "" if there is none. The error is that a path leads out of the folder.
	Depend(path string) (sum string, err error)
}

// lookup is what a step wanted to know about files: addresses that it asked for,
// and paths that it read.
type lookup struct {
	Asked [][2]string `json:"asked,omitempty"` // from, address
	Read  []string    `json:"read,omitempty"`
}

// Call is like [Runner.Call]. The step is not run if its response to the same
// request is stored, and if all files that it wanted are the same.
func (c *Cached) Call(ctx context.Context, req Request, host FileHost) (Response, error) {
	req.Version, req.Step = Version, c.runner.def.Name
	text, err := json.Marshal(&req)
	if err != nil {
		return Response{}, err
	}
	key := objects.KeyOf([]byte("step"), c.identity, text)
	if res, ok := c.stored(ctx, key, host); ok {
		return res, nil
	}
	recorder := &recorder{Host: host}
	res, err := c.runner.Call(ctx, req, recorder)
	if err != nil {
		return Response{}, err
	}
	recorder.wanted.Read = res.Read
	answers, err := answersTo(&recorder.wanted, host)
	if err != nil {
		return Response{}, err
	}
	res.More = false
	names, err := json.Marshal(recorder.wanted)
	data, err2 := json.Marshal(res)
	if err == nil && err2 == nil {
		c.store.Put(objects.KeyOf(key[:], answers), data)
		c.store.Put(key, names)
	}
	return res, nil
}

// stored returns the stored response to a request.
func (c *Cached) stored(ctx context.Context, key objects.Key, host FileHost) (res Response, ok bool) {
	names, ok := c.store.Get(ctx, key)
	if !ok {
		return res, false
	}
	var wanted lookup
	if json.Unmarshal(names, &wanted) != nil {
		return res, false
	}
	answers, err := answersTo(&wanted, host)
	if err != nil {
		return res, false
	}
	data, ok := c.store.Get(ctx, objects.KeyOf(key[:], answers))
	return res, ok && json.Unmarshal(data, &res) == nil
}

// answersTo returns what identifies the files that a step wanted.
func answersTo(wanted *lookup, host FileHost) ([]byte, error) {
	var out [][2]string
	for _, q := range wanted.Asked {
		path, text, err := host.Read(q[0], q[1])
		sum := ""
		if err == nil {
			sum = objects.KeyOf([]byte(text)).String()
		}
		out = append(out, [2]string{path, sum})
	}
	for _, path := range wanted.Read {
		sum, err := host.Depend(path)
		if err != nil {
			return nil, &Failure{Reason: fmt.Sprintf("it says that it read %q: %v", path, err)}
		}
		out = append(out, [2]string{path, sum})
	}
	return json.Marshal(out)
}

// recorder is a host that records what is asked.
type recorder struct {
	Host
	wanted lookup
}

// Read answers a question, and records it.
func (r *recorder) Read(from, address string) (path, text string, err error) {
	r.wanted.Asked = append(r.wanted.Asked, [2]string{from, address})
	return r.Host.Read(from, address)
}
