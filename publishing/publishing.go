// Package publishing sends drafts to stores, as runs of which every item ends in one true
// state, and keeps the listings that come of them.
package publishing

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"

	"plainpelican/connect/store"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/core/publish"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/progress"
	"plainpelican/stores"
	"plainpelican/workbench"
)

// Drafts is what publishing must know of the workbench.
type Drafts interface {
	// Ready prepares a draft for a store; by the rules alone where it is asked for, whatever price was set by hand.
	Ready(ctx context.Context, draftID, storeID int64, byRules bool) (workbench.Ready, error)
	// Pictures are where the first pictures that drafts show are served, by draft.
	Pictures(ctx context.Context, drafts []int64) (map[int64]string, error)
	// Reports say what each of some drafts lacks for a store.
	Reports(ctx context.Context, storeID int64, drafts []int64) ([]workbench.Line, error)
	// Select lists the drafts that a filter finds, the newest first.
	Select(ctx context.Context, storeID int64, f workbench.Filter) ([]int64, error)
	// TakeTheirs changes a draft to what a store shows.
	TakeTheirs(ctx context.Context, draftID, storeID int64, theirs workbench.Theirs) error
}

// Media is what publishing must know of pictures.
type Media interface {
	PictureAt(ctx context.Context, url string) (hash string, content []byte, err error)
}

// Stores opens sessions with connected stores.
type Stores interface {
	Open(ctx context.Context, storeID int64) (store.Session, error)
	// Vendor is whom a store's products are shown to be from, unless a draft says otherwise.
	Vendor(ctx context.Context, storeID int64) (string, error)
	Get(ctx context.Context, storeID int64) (stores.Store, error)
	Connected(ctx context.Context, q database.Querier) ([]int64, error)
}

// Supply asks the source of an offer whether it is still sold.
type Supply interface {
	StillSold(ctx context.Context, sourceID int64, number string) (bool, error)
}

// Offers is told of offers that are gone.
type Offers interface {
	Withdraw(ctx context.Context, offer int64) error
	// NotifyOffers lets it know that listings of some offers were made.
	NotifyOffers(ctx context.Context, db database.Querier, offers []int64) error
}

// Service is the publishing capability.
type Service struct {
	Pool     *pgxpool.Pool
	Drafts   Drafts
	Stores   Stores
	Supply   Supply
	Offers   Offers
	Jobs     *jobs.Runner
	Progress *progress.Stream
	Log      *slog.Logger
	Media    Media
	// Pause is how long an item waits after a store that did not answer, doubled each time; Tries how
	// often it does.
	Pause time.Duration
	Tries int
	// Telling is how long what happens in a run is gathered before browsers are told of it.
	Telling time.Duration

	mu     sync.Mutex
	untold map[int64]*telling // by run
}

// Run is one act of publishing.
type Run struct {
	ID         int64            `json:"id"`
	Act        publish.Act      `json:"act" enum:"publish,show,hide,take_down"`
	State      publish.RunState `json:"state" enum:"scheduled,running,paused,finished"`
	StartedBy  string           `json:"started_by"`
	StartedAt  time.Time        `json:"started_at"`
	StartsAt   *time.Time       `json:"starts_at" doc:"When a scheduled one begins"`
	FinishedAt *time.Time       `json:"finished_at"`
	Targets    []Target         `json:"targets"`
	Counts
}

// Target is one store of a run, with what is done there.
type Target struct {
	StoreID  int64  `json:"store_id"`
	Store    string `json:"store"`
	TimeZone string `json:"time_zone"`
	Settings
	Counts
}

// Settings are how drafts go to a store.
type Settings struct {
	Visible   bool `json:"visible,omitempty"`
	SellEmpty bool `json:"sell_empty,omitempty" doc:"Keep selling what is out of stock"`
	// ByRules sends what the rules say where a price was set by hand.
	ByRules     bool     `json:"by_rules,omitempty"`
	Reserve     int      `json:"reserve,omitempty" minimum:"0" maximum:"100000" doc:"Units of each variant not shown"`
	Collections []string `json:"collections,omitempty" maxItems:"50" doc:"Beside the drafts' own"`
}

// Counts say how many items are in each state.
type Counts struct {
	Held      int `json:"held"`
	Waiting   int `json:"waiting"`
	Sending   int `json:"sending"`
	Published int `json:"published"`
	Changed   int `json:"changed"`
	Unchanged int `json:"unchanged"`
	LeftOut   int `json:"left_out"`
	Failed    int `json:"failed"`
	Unknown   int `json:"unknown"`
	Total     int `json:"total" doc:"All of them"`
}

func (c *Counts) add(o Counts) {
	c.Held += o.Held
	c.Waiting += o.Waiting
	c.Sending += o.Sending
	c.Published += o.Published
	c.Changed += o.Changed
	c.Unchanged += o.Unchanged
	c.LeftOut += o.LeftOut
	c.Failed += o.Failed
	c.Unknown += o.Unknown
	c.Total += o.Total
}

// Item is one draft of a run on its way to one store.
type Item struct {
	ID       int64  `json:"id"`
	StoreID  int64  `json:"store_id"`
	DraftID  int64  `json:"draft_id"`
	Title    string `json:"title"`
	Picture  string `json:"picture"`
	Variants int    `json:"variants"`

	State publish.State `json:"state" enum:"held,waiting,sending,published,changed,unchanged,left_out,failed,unknown"`

	Reason string        `json:"reason" doc:"In plain words what happened"`
	Area   string        `json:"area" doc:"At fault: description, pictures, variants, price, store"`
	URL    string        `json:"url" doc:"Where it is seen in the store"`
	Price  *money.Amount `json:"price" doc:"The lowest price that was sent"`
	// Trace says how that price came about.
	Trace     []markup.TraceLine `json:"trace"`
	UpdatedAt time.Time          `json:"updated_at"`
}

// MaxDrafts is how many drafts one run may have, and MaxStores how many stores.
const (
	MaxDrafts = 50_000
	MaxStores = 20
)

// Args is the job that sends one item.
type Args struct {
	ItemID  int64 `json:"item_id"`
	Attempt int   `json:"attempt"`
}

// Kind names the job.
func (Args) Kind() string { return "publish" }

// InsertOpts puts it into its own queue.
func (Args) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "publish"} }

// BeginArgs is the job that begins a run at its time.
type BeginArgs struct {
	RunID int64 `json:"run_id"`
}

// Kind names the job.
func (BeginArgs) Kind() string { return "begin_run" }

// InsertOpts puts it into its queue, once for each run.
func (BeginArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: "publish", UniqueOpts: river.UniqueOpts{ByArgs: true, ByState: jobs.Unfinished}}
}

// Figures count what the header shows: live listings and runs under way.
func (s *Service) Figures(ctx context.Context, storeID int64) (live, running int, err error) {
	err = s.Pool.QueryRow(ctx, `select (select count(*) from listing where store_id = $1 and ended_at is null),
		(select count(*) from publish_run where state in ('running', 'paused'))`, storeID).Scan(&live, &running)
	return live, running, err
}
