package offers_test

import (
	"bytes"
	"errors"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"plainpelican/offers"
	"plainpelican/platform/pictures"
	"plainpelican/standins/fault"
	"plainpelican/testkit"
)

func TestPicturesAreFetchedOnceCheckedAndKept(t *testing.T) {
	w := testkit.Start(t)
	w.ConnectBazaar()
	get := func(path string) (int, string, int) {
		r, err := http.NewRequest("GET", w.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set("Authorization", "Bearer "+token(t, w))
		answer, err := http.DefaultClient.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = answer.Body.Close() }()
		var body bytes.Buffer
		if _, err := body.ReadFrom(answer.Body); err != nil {
			t.Fatal(err)
		}
		width := 0
		if config, _, err := image.DecodeConfig(&body); err == nil {
			width = config.Width
		}
		return answer.StatusCode, answer.Header.Get("Content-Type"), width
	}
	path := offers.PicturePath(w.Offer(0), 0)
	if status, kind, width := get(path); status != 200 || kind != "image/jpeg" || width != testkit.Bazaar.PictureSize {
		t.Errorf("as it is: %d %s %d", status, kind, width)
	}
	if _, _, width := get(path + "?w=96"); width != 96 {
		t.Errorf("small: %d", width)
	}
	w.Fault(w.BazaarURL, fault.Plan{Down: true})
	if status, _, width := get(path + "?w=400"); status != 200 || width != testkit.Bazaar.PictureSize {
		t.Errorf("with the marketplace gone: %d %d", status, width)
	}
	for _, missing := range []string{"/pictures/1/99", "/pictures/999999/0", "/pictures/x/0"} {
		if status, _, _ := get(missing); status != 404 {
			t.Errorf("%s: %d", missing, status)
		}
	}
}

func token(t *testing.T, w *testkit.World) string {
	t.Helper()
	var made struct {
		Secret string `json:"secret"`
	}
	w.Owner.Must("POST", "/api/tokens", map[string]string{"name": "test", "role": "fulfiller"}, &made)
	return made.Secret
}

func TestPicturesThatAreNone(t *testing.T) {
	w := testkit.Start(t)
	w.ConnectBazaar()
	var huge bytes.Buffer
	if err := png.Encode(&huge,
		image.NewPaletted(image.Rect(0, 0, 8000, 6000), color.Palette{color.Black})); err != nil {
		t.Fatal(err)
	}
	content := map[string][]byte{"/page": []byte("<html>not found</html>"), "/huge": huge.Bytes(), "/empty": {}}
	elsewhere := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		_, _ = rw.Write(content[r.URL.Path])
	}))
	t.Cleanup(elsewhere.Close)
	for path, words := range map[string]string{"/page": "not a picture", "/huge": "8000 by 6000 pixels",
		"/empty": "not a picture"} {
		at, err := url.JoinPath(elsewhere.URL, path)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.App.Pool.Exec(t.Context(), `update offer set pictures = array[$2]
			where id = $1`, w.Offer(0), at); err != nil {
			t.Fatal(err)
		}
		if _, _, err := w.FirstPicture(w.Offer(0)); !errors.Is(err, pictures.ErrNone) ||
			!strings.Contains(err.Error(), words) {
			t.Errorf("%s: %v", path, err)
		}
	}
}

// What was taken keeps its pictures when its supplier goes away, though nobody has looked at them yet.
func TestPicturesOfWhatWasTakenStay(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	offer := w.Offer(0)
	w.Take(offer)
	var pictures, kept int
	testkit.Until(t, "its pictures", func() bool {
		err := w.App.Pool.QueryRow(t.Context(), `select cardinality(o.pictures), (select count(*) from picture p
			where p.url = any (o.pictures) and p.hash <> '') from offer o where id = $1`, offer).Scan(&pictures, &kept)
		return err == nil && pictures > 1 && kept == pictures
	})
	w.Fault(w.BazaarURL, fault.Plan{Down: true})
	for place := range pictures {
		if kind := w.Owner.Kind(offers.PicturePath(offer, place)); kind != "image/jpeg" {
			t.Errorf("picture %d: %s", place, kind)
		}
	}
}
