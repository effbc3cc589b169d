package main

import (
	"bytes"
	"cmp"
	"context"
	"errors"
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
	"plainpelican/media"
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
	id             int64
	family, seller int32
}

// knowledge is of all offers, by id and by family; it has no pointers, so that it does not slow down what is measured.
type knowledge struct {
	all   []truth
	rowOf map[int64]int32
}

func (k *knowledge) of(id int64) (truth, bool) {
	at, ours := k.rowOf[id]
	if !ours {
		return truth{}, false
	}
	return k.all[at], true
}

func (k *knowledge) family(family int32) []truth {
	from, _ := slices.BinarySearchFunc(k.all, family, func(t truth, family int32) int {
		return cmp.Compare(t.family, family)
	})
	to := from
	for to < len(k.all) && k.all[to].family == family {
		to++
	}
	return k.all[from:to]
}

// truths is what the generator knows of n offers on the shelf, in its order, which is that of families.
func truths(ctx context.Context, pool *pgxpool.Pool, n int) (*knowledge, error) {
	ids := map[string]int64{}
	rows, err := pool.Query(ctx, `select id, number from offer where source_id = 1 and withdrawn_at is null`)
	if err != nil {
		return nil, err
	}
	var id int64
	var number string
	if _, err := pgx.ForEachRow(rows, []any{&id, &number}, func() error {
		ids[number] = id
		return nil
	}); err != nil {
		return nil, err
	}
	k := &knowledge{rowOf: map[int64]int32{}}
	for o := range gen.Offers(benchSeed, n) {
		if id, there := ids[o.Number]; there {
			k.rowOf[id] = int32(len(k.all))
			k.all = append(k.all, truth{id, int32(o.Family), int32(o.Seller)})
		}
	}
	return k, nil
}

// benchLookalike asks for the item of offers elsewhere, among n offers whose pictures were drawn,
// cropped, recoloured and compressed, and compares what is called the same with what is. Its
// yardstick compares one offer with all others.
func benchLookalike(ctx context.Context, n int, dir string, kept bool) (out lookalikeResult, err error) {
	if n == 0 {
		n = 1_000_000
	}
	out = lookalikeResult{Bench: "lookalike", Offers: n, Found: map[string]int{}, Missed: map[string]int{},
		Wrong: map[string]int{}, Apart: map[string]int{}}
	ctx, pool, a, end, err := openLaid(ctx, n, dir, kept)
	if err != nil {
		return out, err
	}
	defer end()
	if out.Pictures, err = drawAll(ctx, pool, n); err != nil {
		return out, err
	}
	// What another bench took in beside it is of no family.
	if _, err := pool.Exec(ctx, `update source set state = 'disconnected' where id <> 1`); err != nil {
		return out, err
	}
	if err := a.Search.Refresh(ctx); err != nil {
		return out, err
	}
	known, err := truths(ctx, pool, n)
	if err != nil {
		return out, err
	}
	if len(known.all) == 0 {
		return out, errors.New("the catalog in this directory was not laid by this bench to its end")
	}
	r := rand.New(rand.NewPCG(4, 5))
	var took []time.Duration
	right, wrong, missed := 0, 0, 0
	for range min(benchAsked, max(n/5, 50)) {
		this := known.all[r.IntN(len(known.all))]
		out.Asked++
		began := time.Now()
		found, err := a.Matching.FindAlternatives(ctx, this.id, 1, "")
		took = append(took, time.Since(began))
		if err != nil {
			return out, err
		}
		same := map[int64]bool{}
		for _, o := range found.Offers {
			other, ours := known.of(o.ID)
			switch {
			case o.IsSubject:
			case ours && other.family == this.family:
				right++
				same[o.ID] = true
				out.Found[apart(this, other)]++
			default:
				wrong++
				out.Wrong[missOf(this, other)]++
			}
		}
		for _, twin := range known.family(this.family) {
			if !same[twin.id] && twin.id != this.id {
				missed++
				out.Missed[apart(this, twin)]++
			}
		}
		for _, near := range []int32{this.family - 1, this.family + 1} {
			if gen.NearMiss(int(max(near, this.family))) {
				out.Apart["other size or count"] += len(known.family(near))
			}
		}
	}
	out.Apart["other size or count"] -= out.Wrong["other size or count"]
	slices.Sort(took)
	out.P95MS, out.MedianMS = p95(took), millis(took[len(took)/2])
	out.Precision, out.Recall = float64(right)/float64(max(right+wrong, 1)),
		float64(right)/float64(max(right+missed, 1))
	out.print()
	out.ScanMS, err = fullScan(ctx, a, known)
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
	if near := max(a.family, b.family); min(a.family, b.family) == near-1 && gen.NearMiss(int(near)) {
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
func drawAll(ctx context.Context, pool *pgxpool.Pool, n int) (int, error) {
	seller := map[string]int{} // the first of those that show it
	for o := range gen.Offers(benchSeed, n) {
		url := pictureAt(o.Pictures[0])
		if _, there := seller[url]; !there {
			seller[url] = o.Seller
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
				look := media.FeaturesOf(content.Bytes())
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
	_, err = pool.CopyFrom(ctx, pgx.Identifier{"picture"},
		[]string{"url", "hash", "hashes", "edge_map", "median_colour"}, pgx.CopyFromFunc(func() ([]any, error) {
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

// fullScan compares one offer with all others, a part at a time.
func fullScan(ctx context.Context, a *application.Application, known *knowledge) (float64, error) {
	ids := make([]int64, len(known.all))
	for i, t := range known.all {
		ids[i] = t.id
	}
	began := time.Now()
	_, err := a.Matching.Compare(ctx, ids[len(ids)/2], slices.Chunk(ids, 20_000))
	return millis(time.Since(began)), err
}
