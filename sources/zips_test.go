package sources_test

import (
	"archive/zip"
	"bytes"
	"image"
	"image/png"
	"strconv"
	"strings"
	"testing"

	"plainpelican/core/landed"
	"plainpelican/search"
	"plainpelican/sources"
	"plainpelican/testkit"
)

func pictureOf(t *testing.T, width int) string {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, width, 50))); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

func zipped(t *testing.T, files map[string]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, content := range files {
		f, err := z.Create(name)
		if err == nil {
			_, err = f.Write([]byte(content))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// named is a list that names its pictures without saying where they are.
const named = "sku,title,price,stock,image\nA1,Enamel mug,3.20,10,Mug " +
	"Red.png\nA2,Kettle,9.10,4,kettle.PNG;kettle-2.png\nA3,Lantern,7.00,2,lantern.png\n"

func TestPicturesComeInAZipBesideAList(t *testing.T) {
	w := testkit.Start(t)
	up, problem := w.Owner.Send("named.csv", []byte(named))
	if problem != nil {
		t.Fatal(problem)
	}
	looked := w.Look(sources.PriceListInput{File: up.File, Name: up.Name})
	if !strings.Contains(strings.Join(looked.Notes, " "), "send them in a zip") {
		t.Errorf("nothing is said of its pictures: %q", looked.Notes)
	}
	layout := looked.Layout
	layout.Country, layout.Supplier, layout.Processing = "DE", "Northlight Wholesale", landed.Days{Min: 1, Max: 2}
	layout.Answers = map[string]string{"currency": "EUR"}
	w.Owner.Must("POST", "/api/price-lists", sources.PriceListInput{File: up.File, Name: up.Name, Layout: &layout}, nil)
	id := w.Source("Northlight Wholesale").ID

	pictures := zipped(t,
		map[string]string{"photos/mug red.png": pictureOf(t, 120), "KETTLE.png": pictureOf(t, 140),
			"kettle-2.png": pictureOf(t, 160), "lantern.png": "<html>not found</html>", "__MACOSX/._x.png": "x",
			"../../../etc/evil.png": pictureOf(t, 10)})
	sent, problem := w.Owner.Send("pictures.zip", pictures)
	if problem != nil {
		t.Fatal(problem)
	}
	files := "/api/sources/" + strconv.FormatInt(id, 10) + "/files"
	w.Owner.Must("POST", files, sent, nil)
	source := w.Source("Northlight Wholesale")
	in := source.Imports[0]
	if in.State != "finished" || in.Changed != 3 || in.Rejected != 1 || source.UploadedPictures != 4 {
		t.Errorf("%+v, %d pictures", in, source.UploadedPictures)
	}
	var aside []sources.RejectedRow
	w.Owner.Must("GET", "/api/imports/"+strconv.FormatInt(in.ID, 10)+"/rejected", nil, &aside)
	if len(aside) != 1 || aside[0].Position != "in the zip: lantern.png" ||
		!strings.Contains(aside[0].Reason, "not a picture") {
		t.Errorf("%+v", aside)
	}
	w.AwaitOffers(3)
	found := w.Search("words=kettle")
	var sheet search.Sheet
	w.Owner.Must("GET", "/api/offers/"+strconv.FormatInt(found.Offers[0].ID, 10), nil, &sheet)
	if len(sheet.Pictures) != 2 || w.Owner.Kind(sheet.Pictures[1]) != "image/png" ||
		w.Owner.Kind(sheet.Pictures[1]+"?w=96") != "image/jpeg" {
		t.Errorf("%v", sheet.Pictures)
	}

	// The same list again changes nothing; a zip without pictures is said.
	w.Owner.Must("POST", files, up, nil)
	if again := w.Source("Northlight Wholesale").Imports[0]; again.Unchanged != 3 {
		t.Errorf("again: %+v", again)
	}
	none, problem := w.Owner.Send("none.zip", zipped(t, map[string]string{"readme.txt": "hello"}))
	if problem != nil {
		t.Fatal(problem)
	}
	w.Owner.Must("POST", files, none, nil)
	if in := w.Source("Northlight Wholesale").Imports[0]; in.State != "failed" ||
		!strings.Contains(in.Error, "no picture in this zip") {
		t.Errorf("%+v", in)
	}
	bomb, problem := w.Owner.Send("bomb.zip", zipped(t, map[string]string{"big.png": strings.Repeat("\x00", 70<<20)}))
	if problem != nil {
		t.Fatal(problem)
	}
	w.Owner.Must("POST", files, bomb, nil)
	if in := w.Source("Northlight Wholesale").Imports[0]; in.State != "failed" ||
		!strings.Contains(in.Error, "unpacks to far more") {
		t.Errorf("%+v", in)
	}
}

func TestATableOfDeliveriesIsReadFromAFileOfItsOwn(t *testing.T) {
	w := testkit.Start(t)
	up, problem := w.Owner.Send("freight.csv",
		[]byte("service,country,charge,days\nParcel,EU,4.90,2-4\nParcel,Narnia,1,1\n"))
	if problem != nil {
		t.Fatal(problem)
	}
	var read sources.DeliveryResult
	w.Owner.Must("POST", "/api/price-lists/deliveries", sources.DeliveryTable{File: up.File, Currency: "EUR"}, &read)
	if len(read.Deliveries) != 1 || len(read.Deliveries[0].To) != 27 || len(read.Notes) != 1 {
		t.Errorf("%+v", read)
	}
	if up, problem = w.Owner.Send("list.csv", []byte(named)); problem != nil {
		t.Fatal(problem)
	}
	if problem := w.Owner.Ask("POST", "/api/price-lists/deliveries", sources.DeliveryTable{File: up.File},
		nil); problem == nil || problem.Status != 422 || !strings.Contains(problem.Detail, "no table of deliveries") {
		t.Errorf("%+v", problem)
	}
}
