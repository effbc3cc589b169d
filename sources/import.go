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

// ImportArgs is the job that takes one source's catalog in.
type ImportArgs struct {
	ImportID int64 `json:"import_id"`
}

// Kind names the job.
func (ImportArgs) Kind() string { return "import" }

// InsertOpts puts it into its own queue.
func (ImportArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "import"} }

// ImportScope says what an import reads.
type ImportScope struct {
	// Full compares everything that the source has; otherwise only what has changed since the last time.
	Full bool
	// Partial is some rows of a list only: what they do not name stays as it is.
	Partial bool
	// File is the blob of a file that was uploaded; empty is what the source has at its address.
	File, FileName string
}

// fullImportAfter is how long changes are trusted before the whole catalog is compared again.
const fullImportAfter = 7 * 24 * time.Hour

// Start puts an import of a source into the queue, unless one is on its way. One that was
// held is dropped: what is read now stands in its place.
func (s *Service) Start(ctx context.Context, sourceID int64, what ImportScope) (ImportRun, error) {
	var in ImportRun
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) (err error) {
		in, err = s.start(ctx, tx, sourceID, what)
		return err
	})
	switch {
	case database.Missing(err):
		return in, apikit.NotFound("source")
	case database.Taken(err):
		if waiting, there, err := s.retryNow(ctx, sourceID); err != nil || there {
			return waiting, err
		}
		return in, apikit.Problem(409, "", "An import of this source is already under way.")
	}
	if err == nil {
		s.notify(ctx, in)
	}
	return in, err
}

func (s *Service) start(ctx context.Context, tx pgx.Tx, sourceID int64, what ImportScope) (ImportRun, error) {
	var in ImportRun
	if err := s.discardPending(ctx, tx, sourceID); err != nil {
		return in, err
	}
	rows, err := tx.Query(ctx, `
		insert into import_run (source_id, state, is_full, file, file_name)
		select id, 'waiting', case when kind = any ($7) then $2 or as_of = '' or full_import_at is null
		or full_import_at < now() - $5::interval else not $6 end, $3, $4 from source
		where id = $1 and state = 'connected' returning `+importColumns,
		sourceID, what.Full, what.File, what.FileName, fullImportAfter, what.Partial,
		kindsThat(func(c Capabilities) bool { return c.Changes }))
	if err != nil {
		return in, err
	}
	if in, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[ImportRun]); err != nil {
		return in, err
	}
	return in, s.Jobs.Add(ctx, tx, ImportArgs{in.ID}, nil)
}

// notify lets browsers know; one that misses it asks again.
func (s *Service) notify(ctx context.Context, in ImportRun) {
	if err := s.Progress.Publish(ctx, "import", in); err != nil {
		s.Log.Warn("notifying of an import", "import", in.ID, "error", err)
	}
}

// Work adds the workers.
func (s *Service) Work(r *jobs.Runner) {
	jobs.HandleLong(r, func(ctx context.Context, job *river.Job[ImportArgs]) error {
		return s.run(ctx, job.Args.ImportID, job.JobRow)
	})
	jobs.Handle(r, func(ctx context.Context, _ *river.Job[StartDueArgs]) error { return s.StartDue(ctx) })
	jobs.Handle(r, func(ctx context.Context, job *river.Job[ImportChangesArgs]) error {
		return s.importChanges(ctx, job.Args.SourceID)
	})
}

var errStopped = errors.New("the import was stopped")

// activeImport is an import under way.
type activeImport struct {
	ImportRun
	source           Source
	cursor           string
	asOf             string
	withdrawnNumbers []string
	file             string
	lastSaved        [2]int // what was seen and put when it was saved last

	seen     *roaring64.Bitmap
	numbers  map[uint64]struct{} // of offers that are staged or set aside: a number twice is told
	approved bool
	// cutShort is true where a list's file ends within its last row.
	cutShort bool
	// tries is how often the source has failed since it was last read from, note what is said of an
	// import that went well but for something.
	tries int
	note  string
	job   *rivertype.JobRow
	// initialLoad is the import of a source that had no offers: what is read is not staged first.
	initialLoad bool
}

// isPartial tells whether only some rows of a list are read.
func (in *activeImport) isPartial() bool { return !in.Full && in.source.Layout != nil }

var hashSeed = maphash.MakeSeed()

// isDuplicate remembers a number and tells whether it was there before.
func (in *activeImport) isDuplicate(number string) bool {
	h := maphash.String(hashSeed, number)
	_, there := in.numbers[h]
	in.numbers[h] = struct{}{}
	return there
}

// Resume goes on with an import where it was left.
func (s *Service) Resume(ctx context.Context, id int64) error { return s.run(ctx, id, nil) }

// run takes a catalog in: it reads and stages, checks the impact, and merges. Each part is a
// transaction together with where it goes on, so that a killed import resumes where it was.
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
	message, approval, err := s.importCatalog(ctx, in)
	var later *retryError
	switch {
	case errors.As(err, &later):
		return s.retryLater(ctx, in, later.message, later.cause)
	case database.Away(err):
		return err // put back until the database is there again
	case errors.Is(err, errStopped):
		return s.Offers.DropStaging(context.WithoutCancel(ctx), s.Pool, id)
	case ctx.Err() != nil:
		return ctx.Err() // stopping: another instance goes on with it
	case err != nil && last:
		s.Log.Error("importing a catalog", "source", in.SourceID, "import", id, "error", err)
		message = internalErrorMessage
	case err != nil:
		return err
	}
	in.State, in.Error = Finished, message
	if message != "" {
		in.State = Failed
	} else {
		in.Error = in.note
	}
	if approval != nil {
		in.State, in.Error, in.Approval = NeedsApproval, approval.Reason, approval
	}
	return s.finish(ctx, in)
}

// importCatalog returns what went wrong, in plain words, or why it must be asked about. Its error is
// one of ours.
func (s *Service) importCatalog(ctx context.Context, in *activeImport) (message string, approval *Approval, err error) {
	if in.Phase == "reading" {
		message, approval, err = s.read(ctx, in)
		if message != "" || approval != nil || err != nil {
			return message, approval, err
		}
	}
	if in.Seen > 0 && in.Rejected >= in.Seen && in.source.Layout != nil && !in.approved {
		return "All " + plural(in.Rejected, "row was", "rows were") +
				" rejected, so nothing was imported. Look at the reasons: perhaps the list is written in another way " +
				"now.",
			nil, nil
	}
	if in.Phase == "checking" && !in.approved {
		if in.note, err = s.confirmWithdrawals(ctx, in); err != nil {
			return "", nil, err
		}
	}
	if in.Phase == "checking" && !in.approved && !in.initialLoad && in.source.Can.Impact {
		weight, err := s.Offers.CheckImpact(ctx, in.ID, in.SourceID, in.Full, in.seen)
		if err != nil {
			return "", nil, err
		}
		if reason := approvalReason(weight, in.source.MaxWithdrawn, in.source.MaxRepriced, in.cutShort); reason != "" {
			return "", &Approval{Reason: reason, Kind: "shares", Impact: weight}, nil
		}
		if err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
			return s.Offers.HoldBack(ctx, tx, in.ID, in.source.MaxCostFactor)
		}); err != nil {
			return "", nil, err
		}
	}
	if err := s.mergeStaged(ctx, in); err != nil || in.approved || in.initialLoad {
		return "", nil, err
	}
	waiting, err := s.Offers.HeldBack(ctx, in.ID, in.SourceID, in.source.MaxCostFactor)
	if err != nil || waiting.Repriced == 0 {
		return "", nil, err
	}
	reason := plural(waiting.Repriced, "offer", "offers") + " with a cost that moves " +
		strconv.Itoa(in.source.MaxCostFactor) +
		" times or more at once. All else has been imported; these keep the costs that they had."
	return "", &Approval{Reason: reason, Kind: "prices", Impact: waiting}, nil
}

// claim takes an import up, where it was left.
func (s *Service) claim(ctx context.Context, id int64) (*activeImport, error) {
	in := &activeImport{seen: roaring64.New(), numbers: map[uint64]struct{}{}}
	var bitmap []byte
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, transition(Running, ``, `id = $1 returning `+importColumns), id)
		if err != nil {
			return err
		}
		if in.ImportRun, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[ImportRun]); err != nil {
			return err
		}
		if err := tx.QueryRow(ctx, `select cursor, as_of, withdrawn_numbers, file, tries, seen_offers, approved,
			cut_short, initial_load or (seen = 0 and not exists (select from facts.offer
			where source_id = import_run.source_id)) from import_run where id = $1`, id).
			Scan(&in.cursor, &in.asOf, &in.withdrawnNumbers, &in.file, &in.tries, &bitmap, &in.approved, &in.cutShort,
				&in.initialLoad); err != nil {
			return err
		}
		there, err := s.Offers.OpenStaging(ctx, tx, id, func(number string) { in.isDuplicate(number) })
		if err != nil {
			return err
		}
		in.lastSaved = [2]int{in.Seen, in.Merged}
		if in.initialLoad {
			if err := s.Offers.Numbers(ctx, tx, in.SourceID, func(number string) {
				in.isDuplicate(number)
			}); err != nil {
				return err
			}
		}
		if there == in.Staged {
			return nil
		}
		// The database came back from a crash without what was staged.
		bitmap = nil
		return s.restart(ctx, tx, in)
	})
	if err != nil {
		return nil, err
	}
	if len(bitmap) > 0 {
		if err := in.seen.UnmarshalBinary(bitmap); err != nil {
			return nil, fmt.Errorf("reading what import %d has seen: %w", id, err)
		}
	}
	in.source, err = s.get(ctx, in.SourceID)
	return in, err
}

// restart lets go of what an import has staged, so that it is read from its beginning.
func (s *Service) restart(ctx context.Context, tx pgx.Tx, in *activeImport) error {
	clear(in.numbers)
	in.seen.Clear()
	in.cursor, in.asOf, in.withdrawnNumbers = "", "", nil
	in.Seen, in.Added, in.Changed, in.Unchanged, in.Withdrawn, in.Rejected, in.Phase, in.Merged, in.Staged = 0, 0, 0, 0,
		0, 0, "reading", 0, 0
	if err := s.Offers.DropStaging(ctx, tx, in.ID); err != nil {
		return err
	}
	if _, err := s.Offers.OpenStaging(ctx, tx, in.ID, func(string) {}); err != nil {
		return err
	}
	// What a zip of pictures held is not read again.
	if _, err := tx.Exec(ctx, `delete from rejected_row where import_id = $1
		and position not like 'in the zip: %'`, in.ID); err != nil {
		return err
	}
	if err := tx.QueryRow(ctx, `select count(*) from rejected_row
		where import_id = $1`, in.ID).Scan(&in.Rejected); err != nil {
		return err
	}
	return s.save(ctx, tx, in)
}

// readScattered reads a list again whose products' rows were taken to stand together, and do not.
func (s *Service) readScattered(ctx context.Context, in *activeImport) (message string, approval *Approval, err error) {
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `update source set rows_together = false where id = $1`, in.SourceID); err != nil {
			return err
		}
		return s.restart(ctx, tx, in)
	})
	if err != nil {
		return "", nil, err
	}
	return s.read(ctx, in)
}

// read stages the catalog batch by batch.
func (s *Service) read(ctx context.Context, in *activeImport) (message string, approval *Approval, err error) {
	opened, err := drivers[in.source.Kind].open(ctx, s, in)
	if errors.Is(err, pricelist.ErrScattered) {
		return s.readScattered(ctx, in)
	}
	if err != nil {
		return s.failureOf(in, err)
	}
	feed := prefetch(ctx, opened)
	defer feed.close()
	for {
		batch, err := feed.next()
		if errors.Is(err, pricelist.ErrScattered) {
			return s.readScattered(ctx, in)
		}
		if err != nil {
			return s.failureOf(in, err)
		}
		if err := s.Throttle.Do(ctx, func() error { return s.stage(ctx, in, batch) }); err != nil {
			return "", nil, err
		}
		s.notify(ctx, in.ImportRun)
		if batch.last {
			return "", nil, nil
		}
	}
}

// failureOf turns a feed's failure into a sentence, or a reason to ask.
func (s *Service) failureOf(in *activeImport, err error) (string, *Approval, error) {
	var ask errNeedsDecision
	switch {
	case errors.As(err, &ask):
		return "", &Approval{Reason: ask.Error(), Kind: "layout"}, nil
	case apikit.IsProblem(err):
		return err.Error(), nil, nil
	}
	text := errorMessage(in.source.Address, err)
	var file *fetchError
	if errors.As(err, &file) {
		text = file.message
	}
	if isTemporary(err) && in.tries < s.Retries {
		return "", nil, &retryError{text, err}
	}
	if database.Away(err) || errors.Is(err, context.Canceled) {
		return "", nil, err
	}
	if text == internalErrorMessage {
		s.Log.Error("reading a source", "source", in.SourceID, "error", err)
	}
	return text, nil, nil
}

// maxOwnFailures is how often a failure of ours is tried again.
const maxOwnFailures = 4
