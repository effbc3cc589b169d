// Package application puts the capabilities together: it is the wiring, and no more.
package application

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
	"github.com/riverqueue/river"

	"plainpelican/connect/rates"
	"plainpelican/connect/source"
	"plainpelican/connect/store"
	"plainpelican/connect/store/storeplatform"
	"plainpelican/matching"
	"plainpelican/media"
	"plainpelican/members"
	"plainpelican/offers"
	"plainpelican/orders"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/blobs"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/progress"
	"plainpelican/platform/secrets"
	"plainpelican/platform/settings"
	"plainpelican/platform/throttle"
	"plainpelican/pricing"
	"plainpelican/publishing"
	"plainpelican/requests"
	"plainpelican/search"
	"plainpelican/sources"
	"plainpelican/stores"
	"plainpelican/stores/files"
	"plainpelican/workbench"
)

// Application is one instance.
type Application struct {
	Settings   settings.Settings
	Pool       *pgxpool.Pool
	Log        *slog.Logger
	Members    *members.Service
	Sources    *sources.Service
	Requests   *requests.Service
	Offers     *offers.Service
	Search     *search.Service
	Matching   *matching.Service
	Media      *media.Service
	Stores     *stores.Service
	Pricing    *pricing.Service
	Workbench  *workbench.Service
	Publishing *publishing.Service
	Orders     *orders.Service
	Progress   *progress.Stream
	Jobs       *jobs.Runner
	Outgoing   *outgoing.Client
	Throttle   *throttle.Throttle
	Blobs      *blobs.Folder

	API     *apikit.API
	router  chi.Router
	metrics *prometheus.Registry

	stop      context.CancelFunc
	following sync.WaitGroup
}

// New wires an instance. Nothing runs before Start.
func New(s settings.Settings, pool *pgxpool.Pool, log *slog.Logger) (*Application, error) {
	box, err := secrets.New(s.Key)
	if err != nil {
		return nil, err
	}
	folder, err := blobs.Open(s.Data)
	if err != nil {
		return nil, err
	}
	client := outgoing.New(s.AllowNetworks)
	a := &Application{Settings: s, Pool: pool, Log: log, Outgoing: client, Blobs: folder, Progress: progress.New(pool),
		Jobs: jobs.New(pool, log), metrics: prometheus.NewRegistry(), Throttle: &throttle.Throttle{},
		router: chi.NewRouter()}
	a.Members = members.New(pool, strings.HasPrefix(s.PublicURL, "https:"), log)
	a.Members.Unavailable, a.Members.Address = unavailable, a.clientAddress
	a.Stores = &stores.Service{Pool: pool, Drivers: []store.Driver{storeplatform.Driver{Client: client},
		files.Driver{Pool: pool}}, Box: box, PublicURL: s.PublicURL, Pictures: folder, Log: log}
	a.Pricing = &pricing.Service{Pool: pool, Stores: a.Stores, Jobs: a.Jobs, Progress: a.Progress, Log: log,
		Now: time.Now}
	a.Stores.Pricing = a.Pricing
	a.Media = media.New(pool, folder, client, a.Jobs, a.Throttle, log)
	a.Workbench = &workbench.Service{Pool: pool, Pricing: a.Pricing, Stores: a.Stores, Progress: a.Progress,
		Media: a.Media, PicturePath: offers.PicturePath}
	a.Pricing.Drafts = a.Workbench
	a.Offers = offers.New(pool, a.Media, a.Workbench)
	a.Search = search.New(pool, a.Pricing, a.Offers, a.Workbench, a.Throttle, log)
	a.Workbench.Offers, a.Media.OnDescribed = a.Offers, a.Offers.NotifyPictures
	a.Sources = &sources.Service{Pool: pool, Connector: source.Connector{Client: client}, Box: box, Jobs: a.Jobs,
		Progress: a.Progress, Offers: a.Offers, Blobs: folder, Prices: a.Pricing, Log: log, Throttle: a.Throttle,
		RetryDelay: 15 * time.Second, Retries: 8}
	a.Matching = matching.New(pool, a.Search, a.Offers, a.Media, folder, a.Sources, s.PicturesAhead)
	a.Requests = &requests.Service{Pool: pool, Sources: a.Sources, Pricing: a.Pricing, Pictures: a.Media,
		Blobs: folder, Jobs: a.Jobs, Progress: a.Progress, Log: log}
	a.Publishing = &publishing.Service{Pool: pool, Drafts: a.Workbench, Stores: a.Stores, Supply: a.Sources,
		Offers: a.Offers, Jobs: a.Jobs, Progress: a.Progress, Log: log, Media: a.Media,
		Pause: 3 * time.Second, Tries: 8}
	a.Pricing.Listings, a.Pricing.Choices, a.Workbench.Listings = a.Publishing, a.Offers, a.Publishing
	a.Orders = &orders.Service{Pool: pool, Stores: a.Stores, Sources: a.Sources, Offers: a.Offers, Pricing: a.Pricing,
		Pictures: a.Workbench, Drafts: a.Workbench, Same: a.Matching, Uploads: a.Media, Box: box,
		Jobs: a.Jobs, Progress: a.Progress, Log: log, PublicURL: s.PublicURL}
	a.Stores.OnConnected = a.Orders.Connected
	a.Pricing.Work(a.Jobs)
	a.Sources.Work(a.Jobs)
	a.Matching.Work(a.Jobs)
	a.Media.Work(a.Jobs)
	a.Requests.Work(a.Jobs)
	a.Publishing.Work(a.Jobs)
	a.Orders.Work(a.Jobs)
	jobs.Handle(a.Jobs, func(ctx context.Context, _ *river.Job[MaintenanceArgs]) error {
		return errors.Join(a.FetchRates(ctx), a.Members.Prune(ctx), a.Stores.Prune(ctx), a.Sources.Prune(ctx),
			a.Offers.Prune(ctx), a.Workbench.Prune(ctx),
			a.Orders.Prune(ctx))
	})
	jobs.Handle(a.Jobs, func(ctx context.Context, _ *river.Job[ReconcileArgs]) error {
		return a.Publishing.CheckAll(ctx)
	})
	jobs.Handle(a.Jobs, func(ctx context.Context, _ *river.Job[RecoverArgs]) error {
		return errors.Join(a.Sources.RecoverLost(ctx), a.Publishing.Sweep(ctx), a.Orders.FollowUp(ctx),
			a.Orders.EstimateAgain(ctx), a.Orders.BuyDue(ctx))
	})
	jobs.Handle(a.Jobs, func(ctx context.Context, _ *river.Job[ReadOrdersArgs]) error {
		return a.Orders.ReadAll(ctx)
	})
	a.metrics.MustRegister(collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	a.routes()
	return a, nil
}

// MaintenanceArgs is the hourly job that fetches the day's exchange rates and forgets old sessions and old lists.
type MaintenanceArgs struct{}

// Kind names the job.
func (MaintenanceArgs) Kind() string { return "maintenance" }

// InsertOpts puts it into its queue, and one at a time.
func (MaintenanceArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: "maintenance", UniqueOpts: river.UniqueOpts{ByPeriod: time.Minute}}
}

// ReconcileArgs is the job, four times an hour, that has all stores read.
type ReconcileArgs struct{}

// Kind names the job.
func (ReconcileArgs) Kind() string { return "reconcile" }

// InsertOpts puts it into its queue, and one at a time.
func (ReconcileArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: "maintenance", UniqueOpts: river.UniqueOpts{ByPeriod: time.Minute}}
}

// ReadOrdersArgs is the job, every two minutes, that reads the orders of all stores: one whose message was lost is
// found.
type ReadOrdersArgs struct{}

// Kind names the job.
func (ReadOrdersArgs) Kind() string { return "read_all_orders" }

// InsertOpts puts it into its queue, and one at a time.
func (ReadOrdersArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: "maintenance", UniqueOpts: river.UniqueOpts{ByPeriod: 10 * time.Second}}
}

// RecoverArgs is the job, twice a minute, that takes up work whose job was lost.
type RecoverArgs struct{}

// Kind names the job.
func (RecoverArgs) Kind() string { return "recover" }

// InsertOpts puts it into its queue, and one at a time.
func (RecoverArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: "maintenance", UniqueOpts: river.UniqueOpts{ByPeriod: 10 * time.Second}}
}

// FetchRates takes the newest table of exchange rates in.
func (a *Application) FetchRates(ctx context.Context) error {
	if a.Settings.RatesURL == "" {
		return nil
	}
	table, err := rates.Fetch(ctx, a.Outgoing, a.Settings.RatesURL)
	if err != nil {
		return err
	}
	return a.Pricing.SaveRates(ctx, table)
}

// Start begins background work: jobs, the index, progress.
func (a *Application) Start(ctx context.Context) error {
	if err := ClaimFolder(ctx, a.Pool, a.Blobs, false); err != nil {
		return err
	}
	ctx, a.stop = context.WithCancel(ctx)
	for _, follow := range []func(context.Context){a.Progress.Follow, a.Search.Follow} {
		a.following.Go(func() { follow(ctx) })
	}
	hourly := river.NewPeriodicJob(river.PeriodicInterval(time.Hour), func() (river.JobArgs, *river.InsertOpts) {
		return MaintenanceArgs{}, nil
	}, &river.PeriodicJobOpts{RunOnStart: true})
	due := river.NewPeriodicJob(river.PeriodicInterval(time.Minute), func() (river.JobArgs, *river.InsertOpts) {
		return sources.StartDueArgs{}, nil
	}, nil)
	quotes := river.NewPeriodicJob(river.PeriodicInterval(time.Minute), func() (river.JobArgs, *river.InsertOpts) {
		return requests.DueArgs{},
			&river.InsertOpts{UniqueOpts: river.UniqueOpts{ByArgs: true, ByPeriod: 30 * time.Second}}
	}, nil)
	sweep := river.NewPeriodicJob(river.PeriodicInterval(30*time.Second), func() (river.JobArgs, *river.InsertOpts) {
		return RecoverArgs{}, nil
	}, &river.PeriodicJobOpts{RunOnStart: true})
	reconcile := river.NewPeriodicJob(river.PeriodicInterval(15*time.Minute),
		func() (river.JobArgs, *river.InsertOpts) { return ReconcileArgs{}, nil }, nil)
	readOrders := river.NewPeriodicJob(river.PeriodicInterval(2*time.Minute),
		func() (river.JobArgs, *river.InsertOpts) { return ReadOrdersArgs{}, nil },
		&river.PeriodicJobOpts{RunOnStart: true})
	periodic := []*river.PeriodicJob{hourly, due, quotes, sweep, reconcile, readOrders}
	if a.Settings.PicturesAhead > 0 {
		periodic = append(periodic,
			river.NewPeriodicJob(river.PeriodicInterval(time.Minute), func() (river.JobArgs, *river.InsertOpts) {
				return matching.DescribePicturesArgs{}, nil
			}, &river.PeriodicJobOpts{RunOnStart: true}))
	}
	if err := a.Jobs.Start(ctx, a.Settings.Workers, periodic...); err != nil {
		return err
	}
	return a.Pricing.RepriceUnpriced(ctx)
}

// ClaimFolder sees to it that all instances of a database keep their pictures and files in one
// folder: the first names it, in the folder and in the database, and one with another folder is
// refused with blobs.ErrOtherFolder. With anew, the folder takes the place of the one before.
func ClaimFolder(ctx context.Context, pool *pgxpool.Pool, folder *blobs.Folder, anew bool) error {
	return database.InTx(ctx, pool, func(tx pgx.Tx) error {
		if err := database.Lock(ctx, tx, database.LockDataFolder); err != nil { // two instances started at once
			return err
		}
		named, err := folder.ID()
		if err != nil {
			return err
		}
		var known string
		err = tx.QueryRow(ctx, `select data_folder from installation`).Scan(&known)
		switch {
		case err == nil && known == named:
			return nil
		case err == nil && !anew:
			return blobs.ErrOtherFolder
		case err != nil && !database.Missing(err):
			return err
		}
		if named == "" {
			named = secrets.Token()
			if err := folder.SetID(named); err != nil {
				return err
			}
		}
		_, err = tx.Exec(ctx, `insert into installation (data_folder) values ($1) on conflict (one) do update
			set data_folder = excluded.data_folder`, named)
		return err
	})
}

// Stop lets running jobs finish for up to ten seconds and ends background work.
func (a *Application) Stop() {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	a.Jobs.Stop(ctx)
	a.stop()
	a.following.Wait()
}

// Header is what waits at each station.
type Header struct {
	Sources    int `json:"sources" doc:"Connected"`
	WithErrors int `json:"with_errors" doc:"Connected, with something wrong"`
	Imports    int `json:"imports" doc:"Under way"`
	Offers     int `json:"offers"`
	Drafts     int `json:"drafts"`
	Rules      int `json:"rules" doc:"Markup rules of the store"`
	Live       int `json:"live"`
	Runs       int `json:"runs" doc:"Under way"`
	Orders     int `json:"orders" doc:"That wait for a person"`
	Repricing  int `json:"repricing" doc:"Stores whose prices are being brought up to their rules"`
}

func (a *Application) header(ctx context.Context, storeID int64) (Header, error) {
	var q Header
	list, err := a.Sources.List(ctx)
	if err != nil {
		return q, err
	}
	for _, s := range list {
		if s.State != "connected" {
			continue
		}
		q.Sources++
		q.Offers += s.Offers
		if s.Error != "" {
			q.WithErrors++
		}
		if len(s.Imports) > 0 &&
			(s.Imports[0].State == "running" || (s.Imports[0].State == "waiting" && s.Imports[0].Error == "")) {
			q.Imports++
		}
	}
	if q.Drafts, err = a.Workbench.Count(ctx); err != nil {
		return q, err
	}
	if q.Repricing, err = a.Pricing.Busy(ctx); err != nil {
		return q, err
	}
	if q.Rules, err = a.Pricing.RuleCount(ctx, storeID); err != nil {
		return q, err
	}
	if q.Live, q.Runs, err = a.Publishing.Figures(ctx, storeID); err != nil {
		return q, err
	}
	q.Orders, err = a.Orders.Waiting(ctx)
	return q, err
}

// heartbeatInterval is how often it is looked whether who reads a stream is still signed in.
const heartbeatInterval = 3 * time.Second

// progress streams what long work is doing, until the session or token that asked has ended.
func (a *Application) progress(w http.ResponseWriter, r *http.Request) {
	ctx, end := context.WithCancel(r.Context())
	defer end()
	go func() {
		tick := time.NewTicker(heartbeatInterval)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
				if !a.Members.Still(r) && ctx.Err() == nil {
					end()
				}
			}
		}
	}()
	a.Progress.Serve(w, r.WithContext(ctx))
}

// Document writes the OpenAPI document. It needs no database.
func Document() ([]byte, error) {
	a, err := New(settings.Settings{Key: make([]byte, 32), Data: "/tmp", PublicURL: "http://localhost"}, nil,
		slog.New(slog.DiscardHandler))
	if err != nil {
		return nil, err
	}
	return json.MarshalIndent(a.API.Document(), "", "  ")
}

func init() { huma.DefaultArrayNullable = false }

func (a *Application) register() {
	a.API = apikit.New(a.router, a.Log)
	a.Members.Register(a.API)
	a.Sources.Register(a.API)
	a.Requests.Register(a.API)
	a.Offers.Register(a.API)
	a.Search.Register(a.API)
	a.Matching.Register(a.API)
	a.Media.Register(a.API)
	a.Stores.Register(a.API)
	a.Pricing.Register(a.API)
	a.Workbench.Register(a.API)
	a.Publishing.Register(a.API)
	a.Orders.Register(a.API)
	apikit.Register(a.API, access.OrderHandler, http.MethodGet, "/api/header", "getHeader", "Counts for the header",
		func(ctx context.Context, in *struct {
			Store int64 `query:"store"`
		}) (*apikit.Body[Header], error) {
			return apikit.OK(a.header(ctx, in.Store))
		})
	a.API.RawDocumented(access.OrderHandler, huma.Operation{Method: http.MethodGet, Path: "/api/progress",
		OperationID: "followProgress", Summary: "What long work is doing and what others change, as server-sent events",
		Responses: map[string]*huma.Response{
			"200": {Description: "Events", Content: apikit.Content("text/event-stream")}},
	}, a.progress)
	a.API.Raw(access.Fulfiller, http.MethodGet, "/metrics",
		promhttp.HandlerFor(a.metrics, promhttp.HandlerOpts{}).ServeHTTP)
	a.API.Raw(access.Public, http.MethodGet, "/api/openapi.json", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(a.API.Document())
	})
}
