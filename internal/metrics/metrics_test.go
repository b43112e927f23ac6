package metrics_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/go-chi/chi/v5"
	"github.com/prometheus/common/expfmt"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/metrics"
	"jobshelf/internal/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// What is scraped is read by Prometheus' own reader, is as the house is, and names nobody and nothing of it.
func TestWhatIsScraped(t *testing.T) {
	h := desktest.Open(t)
	_, _ = h.At("approved")
	_, _ = h.At("approved")
	job, _ := h.At("in production")
	m := metrics.New(h.Store)
	router := chi.NewRouter()
	router.Get("/api/jobs/{id}", func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusTeapot) })
	timed := m.Time(router)
	for _, path := range []string{"/api/jobs/7", "/api/jobs/8", "/secret-name"} {
		timed.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(http.MethodGet, path, nil))
	}
	scrape := func() (int, string) {
		w := httptest.NewRecorder()
		m.Handler().ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/metrics", nil))
		text, err := io.ReadAll(w.Body)
		require.NoError(t, err)
		return w.Code, string(text)
	}
	code, text := scrape()
	require.Equal(t, http.StatusOK, code)
	var parser expfmt.TextParser
	all, err := parser.TextToMetricFamilies(strings.NewReader(text))
	require.NoError(t, err)
	value := func(name, label string) float64 {
		t.Helper()
		require.Contains(t, all, name)
		for _, x := range all[name].GetMetric() {
			if label == "" || x.GetLabel()[0].GetValue() == label {
				return x.GetGauge().GetValue()
			}
		}
		return 0
	}
	assert.InDelta(t, 2, value("jobshelf_jobs", "approved"), 0)
	assert.InDelta(t, 1, value("jobshelf_jobs", "in production"), 0)
	assert.InDelta(t, 2, value("jobshelf_runs", "planned"), 0)
	assert.Positive(t, value("jobshelf_database_bytes", ""))
	assert.Zero(t, value("jobshelf_to_be_looked_at", ""))
	routes := map[string]uint64{}
	for _, x := range all["jobshelf_request_seconds"].GetMetric() {
		for _, l := range x.GetLabel() {
			if l.GetName() == "route" {
				routes[l.GetValue()] += x.GetHistogram().GetSampleCount()
			}
		}
	}
	assert.Equal(t, map[string]uint64{"/api/jobs/{id}": 2, "other": 1}, routes)
	j := h.Job(job)
	for _, name := range []string{`"` + j.Title + `"`, j.Member, h.Cato.Name, "secret", "ropewalk", "Ropewalk"} {
		assert.NotContains(t, text, name)
	}
	_, err = h.Store.Pool.Exec(t.Context(), `UPDATE epoch SET looked_at = NULL`)
	require.NoError(t, err)
	_, text = scrape()
	assert.Contains(t, text, "jobshelf_to_be_looked_at 1")
	h.Store.Close()
	code, text = scrape()
	assert.Equal(t, http.StatusOK, code, "what is known without the database is told all the same")
	assert.Contains(t, text, "go_goroutines")
	assert.NotContains(t, text, "jobshelf_jobs{")
}
