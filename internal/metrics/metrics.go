// Package metrics tells whoever runs the server how it is, in the words of Prometheus. No name of a person, a job or a file
// is among them.
package metrics

import (
	"context"
	"net/http"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"jobshelf/internal/store"
)

// Metrics are those of one server.
type Metrics struct {
	registry *prometheus.Registry
	seconds  *prometheus.HistogramVec
}

// scrapeWait bounds how long the database may take over the counts.
const scrapeWait = 5 * time.Second

// texts are what the counts are, by what the store calls them.
var texts = map[string][2]string{ // help, label
	"jobs":                 {"Jobs, by state.", "state"},
	"runs":                 {"Runs, by state.", "state"},
	"machines_driven":      {"Machines that some process drives now.", ""},
	"queue_waiting":        {"Work that waits, by queue.", "queue"},
	"queue_running":        {"Work that is done now, by queue.", "queue"},
	"queue_oldest_seconds": {"How long what has waited longest waits, by queue.", "queue"},
	"set_aside":            {"Checks that were set aside: somebody has to look.", ""},
	"database_bytes":       {"How large the database is.", ""},
	"last_event":           {"The number of the last event.", ""},
	"to_be_looked_at":      {"1: restored from a copy, and nobody has looked at the machines.", ""},
}

// New makes them, of a house.
func New(s *store.Store) *Metrics {
	m := &Metrics{registry: prometheus.NewRegistry(), seconds: prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "jobshelf_request_seconds", Help: "How long requests take, by route and answer.", Buckets: []float64{.005, .02, .05, .1, .25, 1, 5, 30}}, []string{"route", "code"})}
	m.registry.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), m.seconds, &counts{s, descriptions()})
	return m
}

func descriptions() map[string]*prometheus.Desc {
	out := map[string]*prometheus.Desc{}
	for of, t := range texts {
		var labels []string
		if t[1] != "" {
			labels = []string{t[1]}
		}
		out[of] = prometheus.NewDesc("jobshelf_"+of, t[0], labels, nil)
	}
	return out
}

// Handler answers a scrape.
func (m *Metrics) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{ErrorHandling: promhttp.ContinueOnError})
}

// Time notes how long each request takes, by the route that it took: never by its path, which has numbers and names in it.
func (m *Metrics) Time(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		begun := time.Now()
		seen := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		routes := chi.NewRouteContext()
		next.ServeHTTP(seen, r.WithContext(context.WithValue(r.Context(), chi.RouteCtxKey, routes)))
		route := routes.RoutePattern()
		if route == "" {
			route = "other"
		}
		m.seconds.WithLabelValues(route, strconv.Itoa(max(seen.Status(), http.StatusOK))).Observe(time.Since(begun).Seconds())
	})
}

// counts asks the database at each scrape: what it says is of all processes.
type counts struct {
	store *store.Store
	desc  map[string]*prometheus.Desc
}

// Describe tells what may come.
func (c *counts) Describe(to chan<- *prometheus.Desc) {
	for _, d := range c.desc {
		to <- d
	}
}

// Collect tells what there is; an error where the database does not answer.
func (c *counts) Collect(to chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), scrapeWait)
	defer cancel()
	all, err := c.store.Counts(ctx)
	if err != nil {
		to <- prometheus.NewInvalidMetric(c.desc["jobs"], err)
		return
	}
	for _, n := range all {
		var labels []string
		if texts[n.Of][1] != "" {
			labels = []string{n.Label}
		}
		to <- prometheus.MustNewConstMetric(c.desc[n.Of], prometheus.GaugeValue, n.N, labels...)
	}
}
