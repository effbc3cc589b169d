package main

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/application"
	"plainpelican/core/landed"
	"plainpelican/platform/access"
	"plainpelican/search"
	"plainpelican/sources"
	"plainpelican/standins/gen"
)

type ingestResult struct {
	Bench     string  `json:"bench"`
	Offers    int     `json:"offers"`
	Variants  int     `json:"variants"`
	FileMB    float64 `json:"file_mb"`
	IngestMS  float64 `json:"ingest_ms"`
	IndexMS   float64 `json:"of_it_waiting_for_the_index_ms"`
	CopyMS    float64 `json:"bare_copy_ms"`
	TimesCopy float64 `json:"times_the_bare_copy"`
	PeakMB    float64 `json:"peak_memory_mb"`
	// People are at work while another list, a fifth as long, is taken in.
	SearchP95 float64 `json:"search_p95_ms"`
	EditP95   float64 `json:"edit_p95_ms"`
	MeanMS    float64 `json:"fifth_with_people_at_work_ms"`
	SearchMid float64 `json:"search_p95_ms_meanwhile"`
	EditMid   float64 `json:"edit_p95_ms_meanwhile"`

	UnchangedMS float64 `json:"unchanged_ms,omitempty"`
	Written     int64   `json:"rows_written_unchanged"`
	ChangedMS   float64 `json:"five_percent_changed_ms,omitempty"`
	Changed     int64   `json:"offers_changed,omitempty"`
	OfUnchanged float64 `json:"unchanged_of_the_first,omitempty"`
	OfChanged   float64 `json:"changed_of_the_first,omitempty"`
}

const benchDrafts = 2000

// benchIngest takes a price list of n offers with four variants each from a file to searchable. The yardstick is the
// bare COPY of the same rows into tables with the same columns and indexes. Another list, a fifth as long, is taken
// in while people search the catalog and edit drafts. With refresh, the same file is then taken in again, and once
// more with every twentieth offer at another cost.
func benchIngest(ctx context.Context, n int, dir string, refresh bool) (out ingestResult, err error) {
	if n == 0 {
		n = 1_000_000
	}
	out = ingestResult{Bench: map[bool]string{false: "ingest", true: "refresh"}[refresh], Offers: n, Variants: 4 * n}
	pool, a, end, err := openBench(ctx, dir, false)
	if err != nil {
		return out, err
	}
	defer end()
	ctx = access.With(ctx, access.Identity{Name: "the bench", Role: access.Owner})
	if err := fill(ctx, pool, a, benchDrafts); err != nil {
		return out, err
	}
	fmt.Println("writing a list of", n, "offers with 4 variants each")
	fifth := filepath.Join(dir, "fifth.csv")
	defer func() { _ = os.Remove(fifth) }()
	if _, err = writeList(fifth, "V", max(n/5, 1), false); err != nil {
		return out, err
	}
	var files []string
	for _, drift := range []bool{false, true}[:1+map[bool]int{true: 1}[refresh]] {
		file := filepath.Join(dir, fmt.Sprintf("list-%v.csv", drift))
		defer func() { _ = os.Remove(file) }()
		if out.FileMB, err = writeList(file, "W", n, drift); err != nil {
			return out, err
		}
		files = append(files, file)
	}
	return out, out.measure(ctx, pool, a, files, fifth)
}

// writeList writes the seeded catalog as a wholesaler would. A drifted one has every twentieth
// offer at another cost.
func writeList(path, prefix string, n int, drift bool) (mb float64, err error) {
	f, err := os.Create(path)
	if err != nil {
		return 0, err
	}
	w := bufio.NewWriterSize(f, 1<<20)
	_, _ = w.WriteString("Product no.;SKU;Title;Category;Brand;Colour;Size;Cost EUR;RRP;Stock;EAN;Weight (g);Picture\n")
	index := 0
	for o := range (gen.Catalog{Seed: 5, Prefix: prefix, Suppliers: 1, Near: true}).Offers(n) {
		for i := range 4 {
			v := o.Variants[i%len(o.Variants)]
			cost := v.Price
			if drift && index%20 == 0 {
				cost += 7
			}
			fmt.Fprintf(w, "%s;%s-%d;%s;%s;%s;%s;%s %d;%d,%02d;%d,%02d;%d;%s;%d;https://pictures.example/%s.jpg\n",
				o.Number, o.Number, i+1, strings.ReplaceAll(o.Title, ";", ","), o.Category, o.Brand,
				v.Values[0], v.Values[1], i+1, cost/100, cost%100, cost*3/100, cost*3%100, v.Stock, v.GTIN, v.Grams,
				o.Pictures[v.Picture])
		}
		index++
	}
	if err := w.Flush(); err != nil {
		return 0, err
	}
	info, err := f.Stat()
	if err != nil {
		return 0, err
	}
	return float64(info.Size()) / 1e6, f.Close()
}

func (out *ingestResult) measure(ctx context.Context, pool *pgxpool.Pool, a *application.Application, files []string,
	fifth string) error {
	if err := a.Search.Refresh(ctx); err != nil {
		return err
	}
	following, stopFollowing := context.WithCancel(ctx)
	defer stopFollowing()
	go a.Search.Follow(following) // as an instance does
	id, err := connectBench(ctx, a, files[0], "Northlight Wholesale")
	if err != nil {
		return err
	}
	stop := watchMemory(&out.PeakMB)
	took, err := takeIn(ctx, pool, a, id)
	if err != nil {
		return err
	}
	began := time.Now()
	err = searchable(ctx, a)
	stop()
	if err != nil {
		return err
	}
	out.IndexMS = millis(time.Since(began))
	out.IngestMS = millis(took) + out.IndexMS
	if out.CopyMS, err = bareCopy(ctx, pool, filepath.Dir(files[0])); err != nil {
		return err
	}
	out.TimesCopy = out.IngestMS / out.CopyMS
	if err := out.meanwhile(ctx, pool, a, fifth); err != nil {
		return err
	}
	if len(files) == 1 {
		return nil
	}
	if _, err := pool.Exec(ctx, `vacuum analyze`); err != nil {
		return err
	}
	before, err := written(ctx, pool)
	if err != nil {
		return err
	}
	for i, file := range files {
		up, err := keep(a, file)
		if err != nil {
			return err
		}
		if _, err := a.Sources.ImportFile(ctx, id, up, false); err != nil {
			return err
		}
		took, err := takeIn(ctx, pool, a, id)
		if err != nil {
			return err
		}
		after, err := written(ctx, pool)
		if err != nil {
			return err
		}
		if i == 0 {
			out.UnchangedMS, out.Written, out.OfUnchanged = millis(took), after-before, millis(took)/out.IngestMS
			before = after
			continue
		}
		began := time.Now()
		if err := searchable(ctx, a); err != nil {
			return err
		}
		out.ChangedMS = millis(took + time.Since(began))
		out.OfChanged = out.ChangedMS / out.IngestMS
		if err := pool.QueryRow(ctx, `select changed from import_run order by id desc
			limit 1`).Scan(&out.Changed); err != nil {
			return err
		}
	}
	return nil
}

// meanwhile measures how people fare while a list is taken in, and before.
func (out *ingestResult) meanwhile(ctx context.Context, pool *pgxpool.Pool, a *application.Application,
	file string) error {
	id, err := connectBench(ctx, a, file, "Another wholesaler")
	if err != nil {
		return err
	}
	// What the first import left for the database to tidy up is not part of how people fare alone.
	for _, sql := range []string{`vacuum analyze`, `checkpoint`} {
		if _, err := pool.Exec(ctx, sql); err != nil {
			return err
		}
	}
	out.SearchP95, out.EditP95 = people(ctx, a, func() { time.Sleep(20 * time.Second) })
	out.SearchMid, out.EditMid = people(ctx, a, func() {
		var took time.Duration
		if took, err = takeIn(ctx, pool, a, id); err == nil {
			err = searchable(ctx, a)
		}
		out.MeanMS = millis(took)
	})
	return err
}

// searchable waits until the index has followed the log to its end.
func searchable(ctx context.Context, a *application.Application) error {
	if _, err := a.Search.FollowChanges(ctx); err != nil {
		return err
	}
	counts, err := a.Offers.Count(ctx)
	if err != nil {
		return err
	}
	all := 0
	for _, n := range counts {
		all += n
	}
	found, err := a.Search.Search(ctx, search.Sentence{Limit: 1})
	if err == nil && found.Total != all {
		err = fmt.Errorf("%d offers can be found, %d are for sale", found.Total, all)
	}
	return err
}

func keep(a *application.Application, file string) (sources.UploadedFile, error) {
	f, err := os.Open(file)
	if err != nil {
		return sources.UploadedFile{}, err
	}
	defer func() { _ = f.Close() }()
	hash, size, err := a.Sources.Blobs.PutStream(f)
	return sources.UploadedFile{File: hash, Name: filepath.Base(file), Size: size}, err
}

// connectBench connects the list as it is proposed.
func connectBench(ctx context.Context, a *application.Application, file, supplier string) (int64, error) {
	up, err := keep(a, file)
	if err != nil {
		return 0, err
	}
	looked, err := a.Sources.Analyze(ctx, sources.PriceListInput{File: up.File, Name: up.Name})
	if err != nil {
		return 0, err
	}
	layout := looked.Layout
	layout.Country, layout.Supplier = "DE", supplier
	layout.Processing = landed.Days{Min: 1, Max: 2}
	return a.Sources.ConnectList(ctx, sources.PriceListInput{File: up.File, Name: up.Name, Layout: &layout})
}

// takeIn works the import that waits.
func takeIn(ctx context.Context, pool *pgxpool.Pool, a *application.Application, source int64) (time.Duration, error) {
	var id int64
	if err := pool.QueryRow(ctx, `select id from import_run where source_id = $1
		and state = 'waiting'`, source).Scan(&id); err != nil {
		return 0, err
	}
	began := time.Now()
	if err := a.Sources.Resume(ctx, id); err != nil {
		return 0, err
	}
	took := time.Since(began)
	var state, message string
	if err := pool.QueryRow(ctx, `select state, error from import_run
		where id = $1`, id).Scan(&state, &message); err != nil {
		return took, err
	}
	if state != "finished" {
		return took, fmt.Errorf("the import is %s: %s", state, message)
	}
	return took, nil
}

// written is how many rows of the shelf were inserted, updated or deleted so far.
func written(ctx context.Context, pool *pgxpool.Pool) (n int64, err error) {
	time.Sleep(11 * time.Second) // an idle connection tells its statistics after ten seconds
	err = pool.QueryRow(ctx, `select sum(n_tup_ins + n_tup_upd + n_tup_del) from pg_stat_user_tables
		where relname in ('offer', 'offer_variant', 'supplier')`).Scan(&n)
	return n, err
}

// bareCopy copies what came in into empty tables with the same columns and indexes.
func bareCopy(ctx context.Context, pool *pgxpool.Pool, dir string) (float64, error) {
	conn, err := pool.Acquire(ctx)
	if err != nil {
		return 0, err
	}
	defer conn.Release()
	var took time.Duration
	for _, table := range []string{"offer", "offer_variant"} {
		file := filepath.Join(dir, table+".copy")
		defer func() { _ = os.Remove(file) }()
		f, err := os.Create(file)
		if err != nil {
			return 0, err
		}
		from := `select * from offer where source_id = 2 order by id`
		if table == "offer_variant" {
			from = `select v.* from offer_variant v join offer o on o.id = v.offer_id where o.source_id = 2
				order by v.id`
		}
		if _, err := conn.Conn().PgConn().CopyTo(ctx, f, `copy (`+from+`) to stdout`); err != nil {
			return 0, err
		}
		if _, err := f.Seek(0, io.SeekStart); err != nil {
			return 0, err
		}
		if _, err := conn.Exec(ctx, `create table bare_`+table+` (like `+table+` including all)`); err != nil {
			return 0, err
		}
		began := time.Now()
		if _, err := conn.Conn().PgConn().CopyFrom(ctx, f, `copy bare_`+table+` from stdin`); err != nil {
			return 0, err
		}
		took += time.Since(began)
		if err := f.Close(); err != nil {
			return 0, err
		}
	}
	_, err = conn.Exec(ctx, `drop table bare_offer, bare_offer_variant`)
	return millis(took), err
}

// people ask the catalog sentences of the kinds of bench search, some ten times a second, and
// edit drafts, some five times, until something is done.
func people(ctx context.Context, a *application.Application, something func()) (search, edit float64) {
	var took []time.Duration
	searching, stop := context.WithCancel(ctx)
	var done sync.WaitGroup
	done.Go(func() {
		r := rand.New(rand.NewPCG(7, 8))
		for i := 0; searching.Err() == nil; i++ {
			q := question(r, kindNames()[i%len(kinds)])
			answered := a.Throttle.Interactive() // as each question that comes in says
			began := time.Now()
			if _, err := a.Search.Search(searching, q); err == nil {
				took = append(took, time.Since(began))
			}
			answered()
			time.Sleep(100 * time.Millisecond)
		}
	})
	edit, _ = editing(ctx, a, benchDrafts, something)
	stop()
	done.Wait()
	slices.Sort(took)
	if len(took) > 0 {
		search = millis(took[len(took)*95/100])
	}
	return search, edit
}

// watchMemory keeps the most memory that the process has taken from the system above what it had.
// Stopping it twice is no harm.
func watchMemory(peak *float64) (stop func()) {
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	idle := m.HeapInuse + m.StackInuse
	ctx, cancel := context.WithCancel(context.Background())
	var done sync.WaitGroup
	done.Go(func() {
		for ctx.Err() == nil {
			runtime.ReadMemStats(&m)
			*peak = max(*peak, float64(m.HeapInuse+m.StackInuse-min(idle, m.HeapInuse+m.StackInuse))/1e6)
			time.Sleep(100 * time.Millisecond)
		}
	})
	return func() { cancel(); done.Wait() }
}
