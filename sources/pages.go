package sources

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/connect/page"
	"plainpelican/connect/source"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/schedule"
)

// LinkResult is what came of one pasted link.
type LinkResult struct {
	Line             int      `json:"line" doc:"The line, from 1"`
	Link             string   `json:"link"`
	Number           string   `json:"number"`
	OfferID          int64    `json:"offer_id" doc:"0 where there is none"`
	AlreadyInCatalog bool     `json:"already_in_catalog" doc:"It was in the catalog already, from another source"`
	Title            string   `json:"title"`
	Format           string   `json:"format" doc:"JSON-LD, microdata or Open Graph"`
	Missing          []string `json:"missing" doc:"What the page does not say"`
	Error            string   `json:"error"`
}

const (
	maxLinks             = 500
	maxPageBytes         = 6 << 20
	pageInterval         = 100 * time.Millisecond
	defaultPagesSchedule = "FREQ=DAILY;BYHOUR=5;BYMINUTE=0"
)

// ImportLinks begins to take the products of links in, one a line. Lines said twice count once.
func (s *Service) ImportLinks(ctx context.Context, text string) (ImportRun, error) {
	links := distinctLines(text)
	switch {
	case len(links) == 0:
		return ImportRun{}, apikit.Problem(422, "links", "Paste at least one link, such as https://shop.example/lamp.")
	case len(links) > maxLinks:
		return ImportRun{},
			apikit.Problem(422, "links", "That is %d links; up to %d can be imported at once.", len(links), maxLinks)
	}
	file, _, err := s.Blobs.PutStream(strings.NewReader(strings.Join(links, "\n")))
	if err != nil {
		return ImportRun{}, err
	}
	next, err := schedule.Next(defaultPagesSchedule, "UTC", time.Now())
	if err != nil {
		return ImportRun{}, err
	}
	var in ImportRun
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := database.Lock(ctx, tx, database.LockPages); err != nil { // two people, one source of pages
			return err
		}
		var id int64
		err := tx.QueryRow(ctx, `update source set state = 'connected', next_at = coalesce(next_at, $1)
			where kind = 'pages' returning id`, next).Scan(&id)
		if database.Missing(err) {
			err = tx.QueryRow(ctx, `insert into source (kind, name, address, client_id, state, requests_per_second,
				schedule, next_at) values ('pages', 'Single pages', '', '', 'connected', 1, $1, $2) returning id`,
				defaultPagesSchedule, next).Scan(&id)
		}
		if err == nil {
			err = s.Offers.NotifySource(ctx, tx, id)
		}
		if err != nil {
			return err
		}
		in,
			err = s.start(ctx, tx, id,
			ImportScope{Partial: true, File: file, FileName: plural(len(links), "link", "links")})
		return err
	})
	if database.Taken(err) {
		return in, apikit.Problem(409, "links", "Other links are being imported. Wait until they are through.")
	}
	if err == nil {
		s.notify(ctx, in)
	}
	return in, err
}

func distinctLines(text string) (links []string) {
	seen := map[string]bool{}
	for line := range strings.Lines(text) {
		if line = strings.TrimSpace(line); line != "" && !seen[line] {
			seen[line] = true
			links = append(links, line)
		}
	}
	return links
}

// openPages reads the links of an import: those that were pasted, or all that are known.
func (s *Service) openPages(ctx context.Context, in *activeImport) (feed, error) {
	var links []string
	if in.file == "" {
		rows, err := s.Pool.Query(ctx, `select page_url from facts.offer where source_id = $1 and withdrawn_at is null
			order by id`, in.SourceID)
		if err != nil {
			return nil, err
		}
		if links, err = pgx.CollectRows(rows, pgx.RowTo[string]); err != nil {
			return nil, err
		}
		if in.file, _, err = s.Blobs.PutStream(strings.NewReader(strings.Join(links, "\n"))); err != nil {
			return nil, err
		}
		if _, err := s.Pool.Exec(ctx, `update import_run set file = $2 where id = $1`, in.ID, in.file); err != nil {
			return nil, err
		}
	} else {
		content, err := s.Blobs.Get(in.file)
		if err != nil {
			return nil, err
		}
		links = distinctLines(string(content))
	}
	ctx, stop := context.WithCancel(ctx)
	p := &pagesFeed{stop: stop, links: links, read: make(chan pageResult)}
	p.first, p.done = parseCursor(in.cursor)
	var lines []int // before any is done: done changes as it goes
	for line := p.first + 1; line <= len(links); line++ {
		if !p.done[line] {
			lines = append(lines, line)
		}
	}
	go p.readAll(ctx, s, in.SourceID, lines)
	return p, nil
}

// pagesFeed reads pages side by side, so that a slow one delays only itself. Its cursor lists the links that are done.
type pagesFeed struct {
	stop  context.CancelFunc
	links []string
	first int          // how many of the first are done
	done  map[int]bool // by line, from 1, those that are done besides
	read  chan pageResult
}

type pageResult struct {
	line  int
	found page.Found
	known LinkResult
	err   error
}

const (
	pagesAtOnce = 6
	pageTimeout = 40 * time.Second // with its redirects and further attempts
)

// readAll begins a page after the other, so many at once, and closes read when all are through.
func (p *pagesFeed) readAll(ctx context.Context, s *Service, sourceID int64, lines []int) {
	defer close(p.read)
	var all sync.WaitGroup
	defer all.Wait()
	room := make(chan struct{}, pagesAtOnce)
	for _, line := range lines {
		select {
		case <-ctx.Done():
			return
		case room <- struct{}{}:
		}
		all.Go(func() {
			defer func() { <-room }()
			own, cancel := context.WithTimeout(ctx, pageTimeout)
			defer cancel()
			r := pageResult{line: line}
			r.found, r.known, r.err = s.readLink(own, sourceID, p.links[line-1])
			if own.Err() != nil && ctx.Err() == nil {
				r.err = fmt.Errorf("its page took longer than %d seconds", int(pageTimeout.Seconds()))
			}
			select {
			case <-ctx.Done():
			case p.read <- r:
			}
		})
		select {
		case <-ctx.Done():
			return
		case <-time.After(pageInterval):
		}
	}
}

func (p *pagesFeed) close() {
	p.stop()
	for range p.read { // until all have ended
		continue
	}
}

func (p *pagesFeed) next(ctx context.Context) (batch, error) {
	b := batch{rows: []sourceRow{}}
	b.Total = len(p.links)
	var r pageResult
	select {
	case <-ctx.Done():
		return b, ctx.Err()
	case next, more := <-p.read:
		if !more {
			b.last, b.Next = true, p.cursor()
			return b, ctx.Err()
		}
		r = next
	}
	link := p.links[r.line-1]
	if database.Away(r.err) {
		return b, r.err
	}
	for p.done[r.line] = true; p.done[p.first+1]; {
		p.first++
		delete(p.done, p.first)
	}
	result := LinkResult{Line: r.line, Link: link, Missing: []string{}}
	switch {
	case ctx.Err() != nil:
		return b, ctx.Err()
	case r.err != nil:
		result.Error = apikit.Sentence(r.err)
		number := offerNumber(link)
		if errors.Is(r.err, errGone) {
			number = "" // not there: when all are compared, it is withdrawn
		}
		b.Rejected = []source.RejectedItem{{Number: number, Position: fmt.Sprintf("link %d", r.line),
			Reason: r.err.Error(), Content: link}}
	case r.known.OfferID != 0:
		result.OfferID, result.Title, result.AlreadyInCatalog = r.known.OfferID, r.known.Title, true
	default:
		o := r.found.Offer
		result.Number, result.Title, result.Format = o.Number, o.Title, r.found.From
		result.Missing = append(result.Missing, r.found.Missing...)
		b.Offers = []source.Offer{o}
		b.rows = []sourceRow{{fmt.Sprintf("link %d", r.line), []string{link}}}
	}
	b.links = []LinkResult{result}
	b.Next, b.last = p.cursor(), p.first == len(p.links)
	return b, nil
}

// cursor lists what is done: how many of the first, and further lines, as in "12 15 17".
func (p *pagesFeed) cursor() string {
	text := strconv.Itoa(p.first)
	for _, line := range slices.Sorted(maps.Keys(p.done)) {
		text += " " + strconv.Itoa(line)
	}
	return text
}

func parseCursor(cursor string) (first int, done map[int]bool) {
	done = map[int]bool{}
	for i, field := range strings.Fields(cursor) {
		n, err := strconv.Atoi(field)
		switch {
		case err != nil:
		case i == 0:
			first = n
		default:
			done[n] = true
		}
	}
	return first, done
}

var errGone = errors.New("there is no page any more")

// offerNumber is the number that the page at a link gives its offer.
func offerNumber(link string) string {
	address, err := fileAddress(link)
	if err != nil {
		return ""
	}
	_, rest, _ := strings.Cut(address, "://")
	return strings.TrimSuffix(rest, "/")
}

// readLink fetches a page and reads its product, unless a connected source has it already.
func (s *Service) readLink(ctx context.Context, sourceID int64, link string) (found page.Found, known LinkResult,
	err error) {
	address, err := fileAddress(link)
	if err != nil {
		return found, known, fmt.Errorf("“%s” is not a link", link)
	}
	err = s.Pool.QueryRow(ctx, `select o.id, o.title from facts.offer o
		join source x on x.id = o.source_id and x.state = 'connected'
		where o.page_url = $1 and o.source_id <> $2 and o.withdrawn_at is null limit 1`, address, sourceID).
		Scan(&known.OfferID, &known.Title)
	if err == nil || !database.Missing(err) {
		return found, known, err
	}
	found, err = s.fetchPage(ctx, address)
	return found, known, err
}

// ShowLink reads what a link shows: the product on a page, with or without a price, or a picture. Its error is a
// clause that says why it cannot.
func (s *Service) ShowLink(ctx context.Context, link string) (page.Shown, error) {
	address, err := fileAddress(link)
	if err != nil {
		return page.Shown{}, fmt.Errorf("“%s” is not a link", link)
	}
	answer, err := s.requestPage(ctx, address, "text/html,application/xhtml+xml,image/*")
	if err != nil {
		return page.Shown{}, err
	}
	kind := answer.Header.Get("Content-Type")
	if strings.HasPrefix(http.DetectContentType(answer.Body), "image/") || strings.HasPrefix(kind, "image/") {
		return page.Shown{Picture: answer.Body}, nil
	}
	return page.Show(answer.Body, kind, address)
}

func (s *Service) fetchPage(ctx context.Context, address string) (found page.Found, err error) {
	answer, err := s.requestPage(ctx, address, "text/html,application/xhtml+xml")
	if err != nil {
		return found, err
	}
	if found, err = page.Read(answer.Body, answer.Header.Get("Content-Type"), address); err == nil {
		err = found.Offer.Check()
	}
	return found, err
}

// requestPage asks for a page. Its error is a clause that says why it cannot be had.
func (s *Service) requestPage(ctx context.Context, address, accept string) (*outgoing.Response, error) {
	answer, err := s.Connector.Client.Do(ctx,
		outgoing.Request{Method: http.MethodGet, URL: address, Repeatable: true, MaxBytes: maxPageBytes,
			Header: http.Header{"Accept": {accept}}})
	switch {
	case errors.Is(err, outgoing.ErrTooLarge):
		return nil, fmt.Errorf("the page is larger than %d MB, or unpacks to that", maxPageBytes>>20)
	case err != nil:
		return nil, errors.New(strings.TrimSuffix(errorMessage(address, err), "."))
	}
	switch {
	case answer.Status == http.StatusNotFound, answer.Status == http.StatusGone:
		return nil, errGone
	case answer.Status == http.StatusUnauthorized, answer.Status == http.StatusForbidden:
		return nil, errors.New("the page may not be read without signing in")
	case answer.Status != http.StatusOK:
		return nil, fmt.Errorf("its server is out of order (it answers %d)", answer.Status)
	}
	return answer, nil
}

func saveLinks(ctx context.Context, tx pgx.Tx, importID int64, results []LinkResult) error {
	for _, r := range results {
		var known *int64
		if r.AlreadyInCatalog {
			known = &r.OfferID
		}
		if _, err := tx.Exec(ctx, `insert into link_result (import_id, line, link, number, known, title, format,
			missing, error) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
			importID, r.Line, r.Link, r.Number, known, r.Title, r.Format, r.Missing, r.Error); err != nil {
			return err
		}
	}
	return nil
}

// LinkResults lists what came of the links so far; those that are not read yet come without a result.
func (s *Service) LinkResults(ctx context.Context, importID int64) ([]LinkResult, error) {
	var file string
	if err := s.Pool.QueryRow(ctx, `select i.file from import_run i join source x on x.id = i.source_id
		where i.id = $1 and x.kind = 'pages'`, importID).Scan(&file); err != nil {
		return nil, apikit.NotFound("list of links")
	}
	content, err := s.Blobs.Open(file)
	if err != nil {
		return []LinkResult{}, nil // not begun yet
	}
	defer func() { _ = content.Close() }()
	text, err := io.ReadAll(content)
	if err != nil {
		return nil, err
	}
	results := []LinkResult{}
	for i, link := range distinctLines(string(bytes.TrimSpace(text))) {
		results = append(results, LinkResult{Line: i + 1, Link: link, Missing: []string{}})
	}
	rows, err := s.Pool.Query(ctx, `
		select r.line, r.number, coalesce(r.known, o.id, 0), r.known is not null, r.title, r.format, r.missing, r.error
		from link_result r join import_run i on i.id = r.import_id
		left join facts.offer o on o.source_id = i.source_id and o.number = r.number and r.number <> ''
		where r.import_id = $1`, importID)
	if err != nil {
		return nil, err
	}
	var r LinkResult
	_, err = pgx.ForEachRow(rows,
		[]any{&r.Line, &r.Number, &r.OfferID, &r.AlreadyInCatalog, &r.Title, &r.Format, &r.Missing, &r.Error},
		func() error {
			if r.Line >= 1 && r.Line <= len(results) {
				r.Link = results[r.Line-1].Link
				results[r.Line-1] = r
			}
			r.Missing = nil
			return nil
		})
	return results, err
}
