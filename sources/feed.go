package sources

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"

	"plainpelican/connect/pricelist"
	"plainpelican/connect/source"
	"plainpelican/connect/ubl"
	"plainpelican/platform/throttle"
)

// feed is a supplier's catalog being read.
type feed interface {
	// next reads the next batch; after the last it is not called again.
	next(ctx context.Context) (batch, error)
	close()
}

// batch is a part of a catalog. Its Next is where reading goes on.
type batch struct {
	source.Page
	last bool
	// cutShort is true where the file ends within its last row.
	cutShort bool
	rows     []sourceRow // of the offers, where they come from a price list

	links []LinkResult // of pasted links

	// lazy are products of a price list that are built only where they differ.
	lazy  []pricelist.Item
	build func(pricelist.Item) pricelist.Item
}

type sourceRow struct {
	position string
	cells    []string
}

// errNeedsDecision is a failure that a person can decide about.
type errNeedsDecision struct{ reason string }

func (e errNeedsDecision) Error() string { return e.reason }

// openFile opens the file of an import; one that has none is fetched. A zip of pictures is
// unpacked, and the list taken in its place.
func (s *Service) openFile(ctx context.Context, in *activeImport) (*os.File, error) {
	for unpacked := false; ; unpacked = true {
		if in.file == "" {
			hash, name, err := s.fetch(ctx, in)
			if err != nil {
				return nil, err
			}
			in.file, in.FileName = hash, name
			if _, err := s.Pool.Exec(ctx, `update import_run set file = $2, file_name = $3
				where id = $1`, in.ID, hash, name); err != nil {
				return nil, err
			}
		}
		file, err := s.Blobs.Open(in.file)
		if err != nil {
			return nil, err
		}
		z, zipped := pictureZip(file)
		if !zipped || unpacked || !in.source.Can.Pictures {
			return file, nil
		}
		err = s.unpack(ctx, in, z)
		_ = file.Close()
		if err != nil {
			return nil, err
		}
	}
}

// marketFeed reads a marketplace page by page.
type marketFeed struct {
	session     *source.Session
	cursor      string
	since       string
	seenCursors map[string]bool // cursors, so that pages that go round in a circle are noticed
}

var errCursorLoop = errors.New("the source names the same page of its catalog again")

func (m *marketFeed) close() {}

func (m *marketFeed) next(ctx context.Context) (batch, error) {
	page, err := m.session.Page(ctx, m.cursor, m.since)
	if err != nil {
		return batch{}, err
	}
	last := page.Next == ""
	m.seenCursors[m.cursor] = true
	if !last && m.seenCursors[page.Next] {
		return batch{}, errCursorLoop
	}
	m.cursor = page.Next
	if m.since != "" {
		page.Total = 0 // of the whole catalog: how many have changed is not said
	}
	return batch{Page: page, last: last}, nil
}

// prefetcher reads a feed's next batches while the one before is being staged.
type prefetcher struct {
	feed  feed
	ready chan batchResult
	stop  context.CancelFunc
}

type batchResult struct {
	batch batch
	err   error
}

func prefetch(ctx context.Context, f feed) *prefetcher {
	ctx, stop := context.WithCancel(ctx)
	a := &prefetcher{f, make(chan batchResult, 1), stop}
	go func() {
		defer close(a.ready)
		for {
			b, err := f.next(ctx)
			select {
			case a.ready <- batchResult{b, err}:
			case <-ctx.Done():
				return
			}
			if err != nil || b.last {
				return
			}
		}
	}()
	return a
}

func (a *prefetcher) next() (batch, error) {
	r, open := <-a.ready
	if !open {
		return batch{}, context.Canceled
	}
	return r.batch, r.err
}

// close waits until the reading has ended, so that nothing reads a file that is closed.
func (a *prefetcher) close() {
	a.stop()
	for range a.ready {
		continue
	}
	a.feed.close()
}

// listFeed reads a price list; its cursor counts the items that were read.
type listFeed struct {
	file     *os.File
	reader   *pricelist.Reader
	done     int
	total    int
	build    func(pricelist.Item) pricelist.Item
	throttle *throttle.Throttle
}

func (s *Service) openList(ctx context.Context, file *os.File, in *activeImport) (*listFeed, error) {
	if in.source.Layout == nil {
		return nil, errNeedsDecision{"First say what the columns of this list hold."}
	}
	var together bool // as they were the last time: it need not be read twice to know
	if err := s.Pool.QueryRow(ctx, `select rows_together from source
		where id = $1`, in.SourceID).Scan(&together); err != nil {
		return nil, err
	}
	together = together && !in.initialLoad
	reader, err := pricelist.Open(ctx, file, in.source.Layout, together)
	if err != nil {
		return nil, listError(err)
	}
	if !together && reader.Together() {
		if _, err := s.Pool.Exec(ctx, `update source set rows_together = true
			where id = $1 and not rows_together`, in.SourceID); err != nil {
			return nil, err
		}
	}
	if reader.Pictures, err = s.uploadedPictures(ctx, s.Pool, in.SourceID); err != nil {
		return nil, err
	}
	f := &listFeed{file: file, reader: reader, total: reader.Total(), build: reader.Builder(), throttle: s.Throttle}
	reader.Lazy = !in.initialLoad
	done, err := strconv.Atoi(in.cursor)
	if err != nil {
		return f, nil // at the beginning
	}
	for f.done < done {
		if _, err := reader.Next(); err != nil {
			f.close()
			return nil, listError(err)
		}
		f.done++
	}
	return f, nil
}

func (l *listFeed) close() {
	l.reader.Close()
	_ = l.file.Close()
}

const listBatch = 4000

func (l *listFeed) next(ctx context.Context) (b batch, err error) {
	err = l.throttle.Do(ctx, func() error {
		b, err = l.read(ctx)
		return err
	})
	return b, err
}

func (l *listFeed) read(ctx context.Context) (batch, error) {
	b := batch{rows: []sourceRow{}}
	for range l.throttle.BatchSize(listBatch) {
		item, err := l.reader.Next()
		if errors.Is(err, io.EOF) {
			b.last, b.cutShort = true, l.reader.CutShort()
			break
		}
		if err != nil {
			return b, listError(err)
		}
		l.done++
		if item.Offer == nil && len(item.Rejected) == 0 {
			b.lazy = append(b.lazy, item)
			continue
		}
		b.add(item)
	}
	b.Next, b.Total, b.build = strconv.Itoa(l.done), l.total, l.build
	return b, ctx.Err()
}

// add adds a built product of a list.
func (b *batch) add(item pricelist.Item) {
	if item.Offer != nil {
		b.Offers = append(b.Offers, *item.Offer)
		b.rows = append(b.rows, sourceRow{fmt.Sprintf("row %d", item.Row), item.Cells})
	}
	for _, a := range item.Rejected {
		b.Rejected = append(b.Rejected, a.RejectedItem)
	}
}

// listError turns what is wrong with a list into what is said of it.
func listError(err error) error {
	var changed pricelist.ErrLayout
	if errors.As(err, &changed) {
		return errNeedsDecision{changed.Reason}
	}
	if errors.Is(err, pricelist.ErrXML) {
		return problem(pricelist.ErrNotATable)
	}
	for _, known := range []error{ubl.ErrNotACatalogue, ubl.ErrEntities, ubl.ErrCut, ubl.ErrBroken, ubl.ErrDeep,
		ubl.ErrNoLines, pricelist.ErrEmpty, pricelist.ErrNoRows, pricelist.ErrPassword, pricelist.ErrOldExcel,
		pricelist.ErrWebPage, pricelist.ErrNotATable, pricelist.ErrJSON, pricelist.ErrZipped, pricelist.ErrPDF,
		pricelist.ErrWebTable, pricelist.ErrBomb, pricelist.ErrTooWide, pricelist.ErrParts, pricelist.ErrBroken} {
		if errors.Is(err, known) {
			return problem(known)
		}
	}
	return err
}
