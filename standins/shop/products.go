package shop

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"
)

type fieldError struct {
	Field   string `json:"field"`
	Code    string `json:"code"`
	Message string `json:"message"`
}

func (p *Server) store(w http.ResponseWriter, r *http.Request) {
	token, _ := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	answer(w, http.StatusOK, map[string]any{
		"handle": p.Handle, "name": p.Name, "currency": p.Currency, "time_zone": p.TimeZone, "ships_to": p.ShipsTo,
		"included_tax": p.Tax, "limits": p.Limits, "requests_per_second": p.PerSecond,
		"permissions": p.permits(token),
	})
}

var hexName = regexp.MustCompile(`^[0-9a-f]{64}$`)

func (p *Server) picturePath(sha string) string { return filepath.Join(p.dir, "pictures", sha) }

func (p *Server) putPicture(w http.ResponseWriter, r *http.Request) {
	const most = 20 << 20
	sha := r.PathValue("sha")
	body, err := io.ReadAll(io.LimitReader(r.Body, most+1))
	sum := sha256.Sum256(body)
	switch {
	case err != nil || !hexName.MatchString(sha) || hex.EncodeToString(sum[:]) != sha:
		answer(w, http.StatusUnprocessableEntity,
			map[string]any{"errors": []fieldError{{"picture", "wrong_hash", "The picture does not match its name."}}})
	case len(body) > most:
		answer(w, http.StatusUnprocessableEntity,
			map[string]any{"errors": []fieldError{{"picture", "too_large", "A picture may have up to 20 MB."}}})
	case !strings.HasPrefix(http.DetectContentType(body), "image/"):
		answer(w, http.StatusUnprocessableEntity,
			map[string]any{"errors": []fieldError{{"picture", "not_a_picture", "The file is not a picture."}}})
	default:
		if err := os.WriteFile(p.picturePath(sha), body, 0o644); err != nil {
			answer(w, http.StatusInternalServerError, map[string]string{"error": "cannot store"})
			return
		}
		w.WriteHeader(http.StatusNoContent)
	}
}

func (p *Server) check(in *Product) (wrong []fieldError) {
	add := func(field, code, format string, args ...any) {
		wrong = append(wrong, fieldError{field, code, fmt.Sprintf(format, args...)})
	}
	if strings.TrimSpace(in.Title) == "" {
		add("title", "blank", "A product needs a title.")
	}
	if n := utf8.RuneCountInString(in.Title); n > p.Limits.TitleLength {
		add("title", "too_long", "A title may have %d characters; this one has %d.", p.Limits.TitleLength, n)
	}
	if len(in.Options) > p.Limits.Options {
		add("options", "too_many", "A product may have %d options; this one has %d.", p.Limits.Options, len(in.Options))
	}
	if len(in.Variants) > p.Limits.Variants {
		add("variants", "too_many", "A product may have %d variants; this one has %d.", p.Limits.Variants,
			len(in.Variants))
	}
	if len(in.Pictures) > p.Limits.Pictures {
		add("pictures", "too_many", "A product may have %d pictures; this one has %d.", p.Limits.Pictures,
			len(in.Pictures))
	}
	if len(in.Variants) == 0 {
		add("variants", "blank", "A product needs a variant.")
	}
	seen := map[string]bool{}
	for _, v := range in.Variants {
		if len(v.Values) != len(in.Options) {
			add("variants", "values", "Variant %s has %d values for %d options.", v.SKU, len(v.Values), len(in.Options))
		}
		key := strings.Join(v.Values, "\x00")
		if seen[key] {
			add("variants", "twice", "Two variants are %s.", strings.Join(v.Values, ", "))
		}
		seen[key] = true
	}
	for _, sha := range in.Pictures {
		if _, err := os.Stat(p.picturePath(sha)); !hexName.MatchString(sha) || err != nil {
			add("pictures", "unknown", "Picture %.8s has not been sent.", sha)
		}
	}
	return wrong
}

var notHandle = regexp.MustCompile(`[^a-z0-9]+`)

func (p *Server) read(w http.ResponseWriter, r *http.Request) (*Product, bool) {
	var in Product
	if err := json.NewDecoder(io.LimitReader(r.Body, 4<<20)).Decode(&in); err != nil {
		answer(w, http.StatusBadRequest, map[string]string{"error": "not JSON"})
		return nil, false
	}
	if wrong := p.check(&in); len(wrong) > 0 {
		answer(w, http.StatusUnprocessableEntity, map[string]any{"errors": wrong})
		return nil, false
	}
	return &in, true
}

// create honours Idempotency-Key: the same key gives the product it made the first time.
func (p *Server) create(w http.ResponseWriter, r *http.Request) {
	key := r.Header.Get("Idempotency-Key")
	if key == "" {
		answer(w, http.StatusBadRequest, map[string]string{"error": "Idempotency-Key is required"})
		return
	}
	in, ok := p.read(w, r)
	if !ok {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if id, done := p.state.Keys[key]; done && p.state.Products[id] != nil {
		answer(w, http.StatusOK, p.state.Products[id])
		return
	}
	p.state.Next++
	in.ID = fmt.Sprintf("%d", 7000+p.state.Next)
	in.Handle = strings.Trim(notHandle.ReplaceAllString(strings.ToLower(in.Title), "-"), "-") + "-" + in.ID
	in.URL = "http://" + r.Host + "/products/" + in.Handle
	in.CreatedAt = time.Now().UTC()
	in.UpdatedAt = in.CreatedAt
	in.nameVariants(nil)
	p.state.Products[in.ID], p.state.Keys[key] = in, in.ID
	p.save()
	answer(w, http.StatusCreated, in)
}

// find lists products by id, those after one, or those with the client's own reference.
func (p *Server) find(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	reference, after := q.Get("reference"), q.Get("after")
	found := slices.DeleteFunc(p.Products(), func(x Product) bool {
		return reference != "" && x.Reference != reference || after != "" && compareIDs(x.ID, after) <= 0
	})
	slices.SortFunc(found, func(a, b Product) int { return compareIDs(a.ID, b.ID) })
	next := ""
	if limit, err := strconv.Atoi(q.Get("limit")); err == nil && limit > 0 && len(found) > limit {
		found = found[:limit]
		next = found[limit-1].ID
	}
	answer(w, http.StatusOK, map[string]any{"products": found, "next": next})
}

// compareIDs orders ids, which are numbers, as numbers.
func compareIDs(a, b string) int { return cmp.Or(cmp.Compare(len(a), len(b)), cmp.Compare(a, b)) }

// nameVariants gives each variant an id of the store's: the one that it had, or a new one.
func (x *Product) nameVariants(before *Product) {
	last := 0
	had := map[string]string{}
	if before != nil {
		for _, v := range before.Variants {
			had[v.Reference] = v.ID
			if _, n, ok := strings.Cut(v.ID, "-"); ok {
				at, _ := strconv.Atoi(n)
				last = max(last, at)
			}
		}
	}
	for i := range x.Variants {
		x.Variants[i].ID = had[x.Variants[i].Reference]
		delete(had, x.Variants[i].Reference)
		if x.Variants[i].ID == "" {
			last++
			x.Variants[i].ID = fmt.Sprintf("%s-%d", x.ID, last)
		}
	}
}

// change is a JSON merge patch (RFC 7396): what is named takes the place of what was there.
func (p *Server) change(w http.ResponseWriter, r *http.Request) {
	var part map[string]json.RawMessage
	if err := json.NewDecoder(io.LimitReader(r.Body, 4<<20)).Decode(&part); err != nil {
		answer(w, http.StatusBadRequest, map[string]string{"error": "not JSON"})
		return
	}
	for _, own := range []string{"id", "handle", "url", "created_at", "updated_at"} {
		delete(part, own)
	}
	p.withProduct(w, r, func(product *Product) {
		in := *product
		// Decoding would write into the lists that are there, and keep what is left out.
		for name, list := range map[string]func(){"variants": func() { in.Variants = nil },
			"options": func() { in.Options = nil }, "pictures": func() { in.Pictures = nil },
			"tags": func() { in.Tags = nil }, "collections": func() { in.Collections = nil }} {
			if _, named := part[name]; named {
				list()
			}
		}
		data, err := json.Marshal(part)
		if err == nil {
			err = json.Unmarshal(data, &in)
		}
		if err != nil {
			answer(w, http.StatusBadRequest, map[string]string{"error": "not JSON"})
			return
		}
		if wrong := p.check(&in); len(wrong) > 0 {
			answer(w, http.StatusUnprocessableEntity, map[string]any{"errors": wrong})
			return
		}
		in.UpdatedAt = time.Now().UTC()
		in.nameVariants(product)
		p.state.Products[in.ID] = &in
		p.save()
		answer(w, http.StatusOK, in)
	})
}

func (p *Server) withProduct(w http.ResponseWriter, r *http.Request, do func(*Product)) {
	p.mu.Lock()
	defer p.mu.Unlock()
	product := p.state.Products[r.PathValue("id")]
	if product == nil {
		answer(w, http.StatusNotFound, map[string]string{"error": "not_found"})
		return
	}
	do(product)
}

func (p *Server) get(w http.ResponseWriter, r *http.Request) {
	p.withProduct(w, r, func(product *Product) { answer(w, http.StatusOK, product) })
}

func (p *Server) update(w http.ResponseWriter, r *http.Request) {
	in, ok := p.read(w, r)
	if !ok {
		return
	}
	p.withProduct(w, r, func(product *Product) {
		in.ID, in.Handle, in.URL, in.CreatedAt, in.UpdatedAt = product.ID, product.Handle, product.URL,
			product.CreatedAt, time.Now().UTC()
		in.nameVariants(product)
		p.state.Products[in.ID] = in
		p.save()
		answer(w, http.StatusOK, in)
	})
}

// byHand changes a product as somebody would in the store's own pages: on loopback only, never part of the protocol.
func (p *Server) byHand(w http.ResponseWriter, r *http.Request) {
	host, _, _ := net.SplitHostPort(r.RemoteAddr)
	if ip := net.ParseIP(host); ip == nil || !ip.IsLoopback() {
		http.NotFound(w, r)
		return
	}
	p.change(w, r)
}

func (p *Server) remove(w http.ResponseWriter, r *http.Request) {
	p.withProduct(w, r, func(product *Product) {
		delete(p.state.Products, product.ID)
		p.save()
		w.WriteHeader(http.StatusNoContent)
	})
}
