package main

import (
	"bytes"
	"context"
	"fmt"
	"image/jpeg"
	"maps"
	"math/rand/v2"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/application"
	"plainpelican/catalog"
	"plainpelican/standins/draw"
	"plainpelican/standins/gen"
)

type lookalikeResult struct {
	Bench     string  `json:"bench"`
	Offers    int     `json:"offers"`
	Pictures  int     `json:"pictures"`
	Asked     int     `json:"asked"`
	P95MS     float64 `json:"p95_ms"`
	MedianMS  float64 `json:"median_ms"`
	ScanMS    float64 `json:"full_scan_ms"`
	Precision float64 `json:"precision"`
	Recall    float64 `json:"recall"`
	// Found and Missed are twins by what sets them apart; Wrong are others that were called the same.
	Found  map[string]int `json:"found"`
	Missed map[string]int `json:"missed"`
	Wrong  map[string]int `json:"wrong"`
	// Told apart are near misses that were looked at and not called the same.
	Apart map[string]int `json:"near_misses_told_apart"`
}

const (
	benchAsked = 2000
	benchDrawn = 128 // pixels of the pictures
)

// truth is what the generator knows of an offer.
type truth struct {
	family, seller int
	picture        string
}

// benchLookalike asks for the item of offers elsewhere, among n offers whose pictures were drawn,
// cropped, recoloured and compressed, and compares what is called the same with what is. Its
// yardstick compares one offer with all others.
func benchLookalike(ctx context.Context, n int, dir string, kept bool) (out lookalikeResult, err error) {
	if n == 0 {
		n = 1_000_000
	}
	out = lookalikeResult{Bench: "lookalike", Offers: n, Found: map[string]int{}, Missed: map[string]int{}, Wrong: map[string]int{}, Apart: map[string]int{}}
	ctx, pool, a, end, err := openLaid(ctx, n, dir, kept)
	if err != nil {
		return out, err
	}
	defer end()
	known := map[string]truth{}
	families := map[int][]string{}
	for o := range gen.Offers(benchSeed, n) {
		known[o.Number] = truth{o.Family, o.Seller, o.Pictures[0]}
		families[o.Family] = append(families[o.Family], o.Number)
	}
	if out.Pictures, err = drawAll(ctx, pool, known); err != nil {
		return out, err
	}
	// What another bench took in beside it is of no family.
	if _, err := pool.Exec(ctx, `update source set state = 'disconnected' where id <> 1`); err != nil {
		return out, err
	}
	if err := a.Catalog.Refresh(ctx); err != nil {
		return out, err
	}
	ids, numbers, err := numbered(ctx, pool)
	if err != nil {
		return out, err
	}
	ids = slices.DeleteFunc(ids, func(id int64) bool { _, ours := known[numbers[id]]; return !ours }) // not the drafts' offers
	r := rand.New(rand.NewPCG(4, 5))
	var took []time.Duration
	right, wrong, missed := 0, 0, 0
	for range min(benchAsked, max(n/5, 50)) {
		id := ids[r.IntN(len(ids))]
		this := known[numbers[id]]
		out.Asked++
		began := time.Now()
		found, err := a.Catalog.OfferElsewhere(ctx, id, 1, "")
		took = append(took, time.Since(began))
		if err != nil {
			return out, err
		}
		same := map[string]bool{}
		for _, o := range found.Offers {
			number := numbers[o.ID]
			other, ours := known[number]
			switch {
			case o.Itself:
			case ours && other.family == this.family:
				right++
				same[number] = true
				out.Found[apart(this, other)]++
			default:
				wrong++
				out.Wrong[missOf(this, other)]++
			}
		}
		for _, number := range families[this.family] {
			if !same[number] && number != numbers[id] {
				missed++
				out.Missed[apart(this, known[number])]++
			}
		}
		for _, near := range []int{this.family - 1, this.family + 1} {
			if len(families[near]) > 0 && gen.NearMiss(max(near, this.family)) {
				out.Apart["other size or count"] += len(families[near])
			}
		}
	}
	out.Apart["other size or count"] -= out.Wrong["other size or count"]
	slices.Sort(took)
	out.P95MS, out.MedianMS = p95(took), millis(took[len(took)/2])
	out.Precision, out.Recall = float64(right)/float64(max(right+wrong, 1)), float64(right)/float64(max(right+missed, 1))
	out.print()
	out.ScanMS, err = fullScan(ctx, a, ids, ids[r.IntN(len(ids))])
	return out, err
}

// apart says what sets two offers of an item apart.
func apart(a, b truth) string {
	var what []string
	if a.seller%3 != b.seller%3 {
		what = append(what, "reworded")
	}
	if a.seller%4 != b.seller%4 {
		what = append(what, "cropped")
	}
	if (a.seller%4 == 3) != (b.seller%4 == 3) {
		what = append(what, "recoloured")
	}
	if a.seller%3 == 0 && b.seller%3 == 0 {
		what = append(what, "its number")
	}
	return strings.Join(append(what, "compressed"), ", ")
}

func missOf(a, b truth) string {
	if near := max(a.family, b.family); min(a.family, b.family) == near-1 && gen.NearMiss(near) {
		return "other size or count"
	}
	return "another item"
}

func (out *lookalikeResult) print() {
	fmt.Printf("%-55s %9s %9s\n", "twins", "found", "missed")
	kinds := maps.Clone(out.Found)
	maps.Copy(kinds, out.Missed)
	for _, k := range slices.Sorted(maps.Keys(kinds)) {
		fmt.Printf("%-55s %9d %9d\n", k, out.Found[k], out.Missed[k])
	}
	fmt.Printf("%-55s %9s %9s\n", "others", "apart", "called the same")
	for _, k := range []string{"other size or count", "another item"} {
		fmt.Printf("%-55s %9d %9d\n", k, out.Apart[k], out.Wrong[k])
	}
}

// drawAll draws the first picture of each offer, as a JPEG at a quality of its shop's, and keeps what it is known by.
func drawAll(ctx context.Context, pool *pgxpool.Pool, known map[string]truth) (int, error) {
	seller := map[string]int{} // the first of those that show it
	for _, k := range known {
		url := pictureAt(k.picture)
		if first, there := seller[url]; !there || k.seller < first {
			seller[url] = k.seller
		}
	}
	rows, err := pool.Query(ctx, `select url from picture`)
	if err != nil {
		return 0, err
	}
	there, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return 0, err
	}
	for _, url := range there {
		delete(seller, url)
	}
	if len(seller) == 0 {
		return len(there), nil
	}
	fmt.Println("drawing", len(seller), "pictures")
	urls := make(chan string)
	done := make(chan []any, 1024)
	var drawing sync.WaitGroup
	var failed error
	for range runtime.GOMAXPROCS(0) {
		drawing.Go(func() {
			for url := range urls {
				name := strings.TrimSuffix(strings.TrimPrefix(url, pictureAt("")[:len(pictureAt(""))-4]), ".jpg")
				img, err := draw.Picture(name, benchDrawn)
				var content bytes.Buffer
				if err == nil {
					err = jpeg.Encode(&content, img, &jpeg.Options{Quality: 40 + seller[url]*5%9*7})
				}
				if err != nil {
					failed = fmt.Errorf("%s: %w", url, err)
					continue
				}
				look := catalog.Seen(content.Bytes())
				done <- append([]any{url, "drawn"}, look.Columns()...)
			}
		})
	}
	go func() {
		for url := range seller {
			urls <- url
		}
		close(urls)
		drawing.Wait()
		close(done)
	}()
	var row []any
	_, err = pool.CopyFrom(ctx, pgx.Identifier{"picture"}, []string{"url", "hash", "shapes", "outline", "tint"}, pgx.CopyFromFunc(func() ([]any, error) {
		row = <-done
		return row, nil // none at the end
	}))
	if err == nil {
		err = failed
	}
	if err == nil {
		_, err = pool.Exec(ctx, `vacuum analyze picture`)
	}
	return len(seller) + len(there), err
}

// numbered lists the offers with their numbers.
func numbered(ctx context.Context, pool *pgxpool.Pool) (ids []int64, numbers map[int64]string, err error) {
	numbers = map[int64]string{}
	rows, err := pool.Query(ctx, `select id, number from offer where withdrawn_at is null order by id`)
	if err != nil {
		return nil, nil, err
	}
	var id int64
	var number string
	_, err = pgx.ForEachRow(rows, []any{&id, &number}, func() error {
		ids = append(ids, id)
		numbers[id] = number
		return nil
	})
	return ids, numbers, err
}

// fullScan compares one offer with all others, a part at a time.
func fullScan(ctx context.Context, a *application.Application, ids []int64, id int64) (float64, error) {
	began := time.Now()
	_, err := a.Catalog.Compare(ctx, id, slices.Chunk(ids, 20_000))
	return millis(time.Since(began)), err
}
