package sources

import (
	"context"
	"errors"
	"fmt"
	"hash/maphash"
	"strconv"
	"time"

	"github.com/RoaringBitmap/roaring/v2/roaring64"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"plainpelican/connect/pricelist"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
)

// IntakeArgs is the job that takes one source's catalog in.
type IntakeArgs struct {
	IntakeID int64 `json:"intake_id"`
}

// Kind names the job.
func (IntakeArgs) Kind() string { return "intake" }

// InsertOpts puts it into its own queue.
func (IntakeArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "intake"} }

// What says what an intake reads.
type What struct {
	// Whole compares everything that the source has; otherwise only what has changed since the last time.
	Whole bool
	// Part is some rows of a list only: what they do not name stays as it is.
	Part bool
	// File is the blob of a file that was uploaded; empty is what the source has at its address.
	File, FileName string
}

// sweepAfter is how long changes are trusted before the whole catalog is compared again.
const sweepAfter = 7 * 24 * time.Hour

// Begin puts an intake of a source into the queue, unless one is on its way. One that was
// held is dropped: what is read now stands in its place.
func (s *Service) Begin(ctx context.Context, sourceID int64, what What) (Intake, error) {
	var in Intake
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) (err error) {
		in, err = s.begin(ctx, tx, sourceID, what)
		return err
	})
	switch {
	case database.Missing(err):
		return in, apikit.NotFound("source")
	case database.Taken(err):
		if waiting, there, err := s.hasten(ctx, sourceID); err != nil || there {
			return waiting, err
		}
		return in, apikit.Problem(409, "", "An intake of this source is already on its way.")
	}
	if err == nil {
		s.tell(ctx, in)
	}
	return in, err
}

func (s *Service) begin(ctx context.Context, tx pgx.Tx, sourceID int64, what What) (Intake, error) {
	var in Intake
	if err := s.dropHeld(ctx, tx, sourceID); err != nil {
		return in, err
	}
	rows, err := tx.Query(ctx, `
		insert into intake (source_id, state, whole, file, file_name)
		select id, 'waiting', case when kind = 'marketplace' then $2 or as_of = '' or swept_at is null or swept_at < now() - $5::interval else not $6 end, $3, $4 from source where id = $1 and state = 'connected' returning `+intakeColumns,
		sourceID, what.Whole, what.File, what.FileName, sweepAfter, what.Part)
	if err != nil {
		return in, err
	}
	if in, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Intake]); err != nil {
		return in, err
	}
	return in, s.Jobs.Add(ctx, tx, IntakeArgs{in.ID}, nil)
}

// tell lets browsers know; one that misses it asks again.
func (s *Service) tell(ctx context.Context, in Intake) {
	if err := s.Progress.Tell(ctx, "intake", in); err != nil {
		s.Log.Warn("telling of an intake", "intake", in.ID, "error", err)
	}
}

// Work adds the workers.
func (s *Service) Work(r *jobs.Runner) {
	jobs.HandleLong(r, func(ctx context.Context, job *river.Job[IntakeArgs]) error {
		return s.run(ctx, job.Args.IntakeID, job.JobRow)
	})
	jobs.Handle(r, func(ctx context.Context, _ *river.Job[DueArgs]) error { return s.BeginDue(ctx) })
	jobs.Handle(r, func(ctx context.Context, job *river.Job[CatchUpArgs]) error { return s.catchUp(ctx, job.Args.SourceID) })
}

var errStopped = errors.New("the intake was stopped")

// intaking is an intake under way.
type intaking struct {
	Intake
	source Source
	cursor string
	asOf   string
	gone   []string
	file   string
	saved  [2]int // what was seen and put when it was saved last

	seen    *roaring64.Bitmap
	numbers map[uint64]struct{} // of offers that are staged or set aside: a number twice is told
	allowed bool
	// cutShort is true where a list's file ends within its last row.
	cutShort bool
	// tries is how often the source has failed since it was last read from, note what is said of an
	// import that went well but for something.
	tries int
	note  string
	job   *rivertype.JobRow
	// straight is the intake of a source that had no offers: what is read goes on the shelf at once.
	straight bool
}

// part tells whether only some rows of a list are read.
func (in *intaking) part() bool { return !in.Whole && in.source.Layout != nil }

var seed = maphash.MakeSeed()

// twice remembers a number and tells whether it was there before.
func (in *intaking) twice(number string) bool {
	h := maphash.String(seed, number)
	_, there := in.numbers[h]
	in.numbers[h] = struct{}{}
	return there
}

// Resume goes on with an intake where it was left.
func (s *Service) Resume(ctx context.Context, id int64) error { return s.run(ctx, id, nil) }

// run takes a catalog in: it reads and stages, weighs, and puts on the shelf. Each part is a
// transaction together with where it goes on, so that a killed intake resumes where it was.
// A failure of ours is tried again, until the last time.
func (s *Service) run(ctx context.Context, id int64, job *rivertype.JobRow) error {
	last := job != nil && job.Attempt >= maxOwnFailures
	in, err := s.claim(ctx, id)
	if database.Missing(err) {
		return nil // it ended while this waited
	}
	if err != nil {
		return err
	}
	in.job = job
	trouble, hold, err := s.takeIn(ctx, in)
	var later *retry
	switch {
	case errors.As(err, &later):
		return s.retryLater(ctx, in, later.words, later.why)
	case database.Away(err):
		return err // put back until the database is there again
	case errors.Is(err, errStopped):
		return s.Shelf.Unstage(context.WithoutCancel(ctx), s.Pool, id)
	case ctx.Err() != nil:
		return ctx.Err() // stopping: another instance goes on with it
	case err != nil && last:
		s.Log.Error("taking a catalog in", "source", in.SourceID, "intake", id, "error", err)
		trouble = onOurSide
	case err != nil:
		return err
	}
	in.State, in.Trouble = "finished", trouble
	if trouble != "" {
		in.State = "failed"
	} else {
		in.Trouble = in.note
	}
	if hold != nil {
		in.State, in.Trouble, in.Hold = "held", hold.Reason, hold
	}
	return s.end(ctx, in)
}

// takeIn returns what went wrong, in plain words, or why it must be asked about. Its error is
// one of ours.
func (s *Service) takeIn(ctx context.Context, in *intaking) (trouble string, hold *Hold, err error) {
	if in.Phase == "reading" {
		trouble, hold, err = s.read(ctx, in)
		if trouble != "" || hold != nil || err != nil {
			return trouble, hold, err
		}
	}
	if in.Seen > 0 && in.SetAside >= in.Seen && in.source.Layout != nil && !in.allowed {
		return "All " + plural(in.SetAside, "row was", "rows were") + " rejected, so nothing was imported. Look at the reasons: perhaps the list is written in another way now.", nil, nil
	}
	if in.Phase == "weighing" && !in.allowed {
		if in.note, err = s.confirm(ctx, in); err != nil {
			return "", nil, err
		}
	}
	if in.Phase == "weighing" && !in.allowed && !in.straight && in.source.Kind != "pages" {
		weight, err := s.Shelf.Weigh(ctx, in.ID, in.SourceID, in.Whole, in.seen)
		if err != nil {
			return "", nil, err
		}
		if reason := weight.judge(in.source.MostWithdrawn, in.source.MostRepriced, in.cutShort); reason != "" {
			return "", &Hold{Reason: reason, Kind: "shares", Weight: weight}, nil
		}
		if err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error { return s.Shelf.Postpone(ctx, tx, in.ID, in.source.MaxCostFactor) }); err != nil {
			return "", nil, err
		}
	}
	if err := s.put(ctx, in); err != nil || in.allowed || in.straight {
		return "", nil, err
	}
	waiting, err := s.Shelf.Postponed(ctx, in.ID, in.SourceID, in.source.MaxCostFactor)
	if err != nil || waiting.Repriced == 0 {
		return "", nil, err
	}
	reason := plural(waiting.Repriced, "offer", "offers") + " with a cost that moves " + strconv.Itoa(in.source.MaxCostFactor) + " times or more at once. All else has been imported; these keep the costs that they had."
	return "", &Hold{Reason: reason, Kind: "prices", Weight: waiting}, nil
}

// claim takes an intake up, where it was left.
func (s *Service) claim(ctx context.Context, id int64) (*intaking, error) {
	in := &intaking{seen: roaring64.New(), numbers: map[uint64]struct{}{}}
	var bitmap []byte
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `update intake set state = 'running' where id = $1 and state in ('waiting', 'running') returning `+intakeColumns, id)
		if err != nil {
			return err
		}
		if in.Intake, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Intake]); err != nil {
			return err
		}
		if err := tx.QueryRow(ctx, `select cursor, as_of, gone, file, tries, seen_offers, allowed, cut_short, straight or (seen = 0 and not exists (select from offer where source_id = intake.source_id)) from intake where id = $1`, id).
			Scan(&in.cursor, &in.asOf, &in.gone, &in.file, &in.tries, &bitmap, &in.allowed, &in.cutShort, &in.straight); err != nil {
			return err
		}
		there, err := s.Shelf.Staged(ctx, tx, id, func(number string) { in.twice(number) })
		if err != nil {
			return err
		}
		in.saved = [2]int{in.Seen, in.Put}
		if in.straight {
			if err := s.Shelf.Numbers(ctx, tx, in.SourceID, func(number string) { in.twice(number) }); err != nil {
				return err
			}
		}
		if there == in.Staged {
			return nil
		}
		// The database came back from a crash without what was staged.
		bitmap = nil
		return s.again(ctx, tx, in)
	})
	if err != nil {
		return nil, err
	}
	if len(bitmap) > 0 {
		if err := in.seen.UnmarshalBinary(bitmap); err != nil {
			return nil, fmt.Errorf("reading what intake %d has seen: %w", id, err)
		}
	}
	in.source, err = s.one(ctx, in.SourceID)
	return in, err
}

// again lets go of what an intake has staged, so that it is read from its beginning.
func (s *Service) again(ctx context.Context, tx pgx.Tx, in *intaking) error {
	clear(in.numbers)
	in.seen.Clear()
	in.cursor, in.asOf, in.gone = "", "", nil
	in.Seen, in.Added, in.Changed, in.Unchanged, in.Withdrawn, in.SetAside, in.Phase, in.Put, in.Staged = 0, 0, 0, 0, 0, 0, "reading", 0, 0
	if err := s.Shelf.Unstage(ctx, tx, in.ID); err != nil {
		return err
	}
	if _, err := s.Shelf.Staged(ctx, tx, in.ID, func(string) {}); err != nil {
		return err
	}
	// What a zip of pictures held is not read again.
	if _, err := tx.Exec(ctx, `delete from set_aside where intake_id = $1 and place not like 'in the zip: %'`, in.ID); err != nil {
		return err
	}
	if err := tx.QueryRow(ctx, `select count(*) from set_aside where intake_id = $1`, in.ID).Scan(&in.SetAside); err != nil {
		return err
	}
	return s.save(ctx, tx, in)
}

// apart reads a list again whose products' rows were taken to stand together, and do not.
func (s *Service) apart(ctx context.Context, in *intaking) (trouble string, hold *Hold, err error) {
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `update source set rows_together = false where id = $1`, in.SourceID); err != nil {
			return err
		}
		return s.again(ctx, tx, in)
	})
	if err != nil {
		return "", nil, err
	}
	return s.read(ctx, in)
}

// read stages the catalog batch by batch.
func (s *Service) read(ctx context.Context, in *intaking) (trouble string, hold *Hold, err error) {
	opened, err := s.open(ctx, in)
	if errors.Is(err, pricelist.ErrApart) {
		return s.apart(ctx, in)
	}
	if err != nil {
		return s.said(in, err)
	}
	feed := readAhead(ctx, opened)
	defer feed.close()
	for {
		batch, err := feed.next()
		if errors.Is(err, pricelist.ErrApart) {
			return s.apart(ctx, in)
		}
		if err != nil {
			return s.said(in, err)
		}
		if err := s.Turns.Do(ctx, func() error { return s.stage(ctx, in, batch) }); err != nil {
			return "", nil, err
		}
		s.tell(ctx, in.Intake)
		if batch.last {
			return "", nil, nil
		}
	}
}

// said turns a feed's failure into a sentence, or a reason to ask.
func (s *Service) said(in *intaking, err error) (string, *Hold, error) {
	var ask errAsk
	switch {
	case errors.As(err, &ask):
		return "", &Hold{Reason: ask.Error(), Kind: "layout"}, nil
	case apikit.IsProblem(err):
		return err.Error(), nil, nil
	}
	text := words(in.source.Address, err)
	var file *fetchError
	if errors.As(err, &file) {
		text = file.words
	}
	if passing(err) && in.tries < s.Retries {
		return "", nil, &retry{text, err}
	}
	if database.Away(err) || errors.Is(err, context.Canceled) {
		return "", nil, err
	}
	if text == onOurSide {
		s.Log.Error("reading a source", "source", in.SourceID, "error", err)
	}
	return text, nil, nil
}

// maxOwnFailures is how often a failure of ours is tried again.
const maxOwnFailures = 4
