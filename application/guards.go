package application

import (
	"context"
	"crypto/rand"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"

	"github.com/go-chi/chi/v5/middleware"

	"plainpelican/platform/apikit"
)

// identified gives each request an id of our own: one that a caller sends is not taken over, since it
// stands in our log.
func identified(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		id := rand.Text()[:16]
		w.Header().Set("X-Request-Id", id)
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), middleware.RequestIDKey, id)))
	})
}

// clientAddress is where a request comes from: the connection's address, or, where that is a proxy which
// the operator named, the last address in X-Forwarded-For that is not one.
func (a *Application) clientAddress(r *http.Request) netip.Addr {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		host = r.RemoteAddr
	}
	at, err := netip.ParseAddr(host)
	if err != nil {
		return netip.IPv4Unspecified()
	}
	trusted := func(x netip.Addr) bool {
		return slices.ContainsFunc(a.Settings.Proxies, func(p netip.Prefix) bool { return p.Contains(x.Unmap()) })
	}
	if !trusted(at) {
		return at
	}
	forwarded := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for _, text := range slices.Backward(forwarded) {
		x, err := netip.ParseAddr(strings.TrimSpace(text))
		if err != nil {
			return at
		}
		if at = x; !trusted(x) {
			return x
		}
	}
	return at
}

// checked by whoever watches the instance, by whatever address.
var probes = []string{"/healthz", "/readyz", "/metrics"}

// hosted refuses requests for another host than the one this is reached by, so that no name of somebody
// else's that leads here is taken for ours.
func (a *Application) hosted(next http.Handler) http.Handler {
	public, err := url.Parse(a.Settings.PublicURL)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := r.Host
		if name, _, err := net.SplitHostPort(host); err == nil {
			host = name
		}
		host = strings.ToLower(strings.Trim(host, "[]"))
		ip, parseErr := netip.ParseAddr(host)
		local := host == "localhost" || (parseErr == nil && ip.IsLoopback())
		if err == nil && !local && host != strings.ToLower(public.Hostname()) && !slices.Contains(probes, r.URL.Path) {
			apikit.WriteProblem(w, http.StatusMisdirectedRequest, "",
				"This is not the address that Plain Pelican is reached by. Whoever runs it sets that with "+
					"PELICAN_PUBLIC_URL.")
			return
		}
		next.ServeHTTP(w, r)
	})
}

// ownPages refuses what another site's page asks for by itself (a picture, a script, a frame): only going
// to a page of ours from elsewhere is fine. Changes are refused by the cross-origin guard already.
func ownPages(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		site := r.Header.Get("Sec-Fetch-Site")
		asset := strings.HasPrefix(r.URL.Path, "/api/") || strings.HasPrefix(r.URL.Path, "/pictures/") ||
			strings.HasPrefix(r.URL.Path, "/requests/")
		if asset && (site == "cross-site" || site == "same-site") {
			apikit.WriteProblem(w, http.StatusForbidden, "", "Another site's page may not ask for this.")
			return
		}
		next.ServeHTTP(w, r)
	})
}

// methods are those that are counted by their names; whatever else is sent is one of many.
var methods = []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch,
	http.MethodDelete, http.MethodOptions}

// methodLabel is a method as it is counted and logged.
func methodLabel(method string) string {
	if slices.Contains(methods, method) {
		return method
	}
	return "other"
}

// short is a text of a caller's as it is logged.
func short(text string) string {
	const most = 300
	if len(text) > most {
		return strings.ToValidUTF8(text[:most], "") + "…"
	}
	return text
}

// unavailable is what is answered while the database is away: to a browser that opens a page, a page
// that comes back by itself; to everybody else, a problem.
func unavailable(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Retry-After", "3")
	if r.Method != http.MethodGet || strings.HasPrefix(r.URL.Path, "/api/") ||
		strings.HasPrefix(r.URL.Path, "/pictures/") {
		apikit.WriteProblem(w, http.StatusServiceUnavailable, "", apikit.DatabaseAway)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'sha256-"+awayStyleHash+
		"'; frame-ancestors 'none'")
	w.Header().Set("Refresh", "3")
	w.WriteHeader(http.StatusServiceUnavailable)
	_, _ = w.Write([]byte(awayPage))
}
