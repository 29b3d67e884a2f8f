package serve

import (
	"bytes"
	"context"
	"fmt"
	"html"
	"net/http"
	"net/url"
	"sync"
)

// reportName is the name of the report on the styles, below ownPrefix.
const reportName = "report"

// ReportAddress is the URL path of the report.
const ReportAddress = ownPrefix + reportName

// reports makes the page of the report, at most once for each snapshot.
type reports struct {
	mu   sync.Mutex
	of   *Snapshot // that page was made from
	page []byte
}

// reportClient loads the report again when the server publishes a snapshot.
const reportClient = `<script>
{
	const source = new EventSource("events?sum=%s");
	for (const kind of ["update", "reload", "problem"]) source.addEventListener(kind, () => location.reload());
}
</script>
`

// serveReport serves the report on the styles of a snapshot.
func (s *Server) serveReport(w http.ResponseWriter, r *http.Request, n *Snapshot) {
	if s.opts.Report == nil || n == nil {
		http.NotFound(w, r)
		return
	}
	page, err := s.reports.get(r.Context(), n, s.opts.Report)
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	if err != nil {
		w.WriteHeader(http.StatusServiceUnavailable)
		page = fmt.Appendf(nil, "<!doctype html><title>No report</title><meta name=color-scheme content=\"light dark\">"+
			"<pre>%s</pre>\n", html.EscapeString(err.Error()))
		page = append(page, n.reportClient()...)
	}
	_, _ = w.Write(page)
}

// reportClient returns the client of a report that was made from the snapshot.
func (n *Snapshot) reportClient() []byte {
	return fmt.Appendf(nil, reportClient, url.QueryEscape(n.sum))
}

// get returns the page of a snapshot.
func (p *reports) get(ctx context.Context, n *Snapshot, report func(context.Context) ([]byte, error)) ([]byte, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.of == n {
		return p.page, nil
	}
	page, err := report(ctx)
	if err != nil {
		return nil, err
	}
	p.of, p.page = n, bytes.Replace(page, []byte("</body>"), append(n.reportClient(), "</body>"...), 1)
	return p.page, nil
}
