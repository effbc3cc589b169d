package sources

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"mime"
	"net/http"
	"net/url"
	"os"
	"path"
	"strings"
	"time"
	"unicode"

	"github.com/jackc/pgx/v5"

	"plainpelican/connect/pricelist"
	"plainpelican/core/landed"
	"plainpelican/members"
	"plainpelican/platform/apikit"
	"plainpelican/platform/blobs"
	"plainpelican/platform/database"
	"plainpelican/platform/outgoing"
)

// MaxFileBytes is how large a file of offers may be.
const MaxFileBytes = 3 << 29 // 1.5 GiB

var tooLarge = fmt.Sprintf("The file is larger than %.1f GB, the most that can be imported. Split it, or send it as "+
	"XLSX.", float64(MaxFileBytes)/(1<<30))

func problem(err error) error { return apikit.Problem(422, "file", "%s", apikit.Sentence(err)) }

// UploadedFile is a file that was sent, and not used yet.
type UploadedFile struct {
	File string `json:"file" doc:"Names the file in later requests"`
	Name string `json:"name"`
	Size int64  `json:"size" doc:"Bytes"`
}

// upload keeps the body of a request as a file.
func (s *Service) upload(w http.ResponseWriter, r *http.Request) {
	name := path.Base(strings.ReplaceAll(r.URL.Query().Get("name"), `\`, "/"))
	if r.ContentLength > MaxFileBytes {
		apikit.WriteProblem(w, http.StatusRequestEntityTooLarge, "file", tooLarge)
		return
	}
	hash, size, err := s.Blobs.PutStream(http.MaxBytesReader(w, r.Body, MaxFileBytes))
	var over *http.MaxBytesError
	switch {
	case errors.As(err, &over):
		apikit.WriteProblem(w, http.StatusRequestEntityTooLarge, "file", tooLarge)
	case blobs.Fault(err):
		s.Log.Error("keeping an uploaded file", "error", err)
		apikit.WriteProblem(w, http.StatusInsufficientStorage, "file", "The file was not kept: "+err.Error()+".")
	case err != nil:
		s.Log.Error("keeping an uploaded file", "error", err)
		apikit.WriteProblem(w, http.StatusBadRequest, "file", "The file did not arrive whole. Send it again.")
	default:
		if _, err := s.Pool.Exec(r.Context(), `insert into upload (file) values ($1) on conflict (file) do update
			set at = now()`, hash); err != nil {
			s.Log.Error("noting an uploaded file", "error", err)
			apikit.WriteProblem(w, http.StatusServiceUnavailable, "file", apikit.DatabaseAway)
			return
		}
		apikit.WriteJSON(w, http.StatusOK, UploadedFile{hash, name, size})
	}
}

// PriceListInput is a price list to be looked at or connected: a file, or the address it is fetched from.
type PriceListInput struct {
	File     string            `json:"file" maxLength:"64" doc:"An uploaded file"`
	Address  string            `json:"address" maxLength:"2000" doc:"Empty where the list is uploaded"`
	Name     string            `json:"name" maxLength:"200"`
	Layout   *pricelist.Layout `json:"layout,omitempty" doc:"Corrections; absent to detect all"`
	Store    int64             `json:"store" doc:"Whose currency is taken where the list names none; 0 for none"`
	Schedule string            `json:"schedule" maxLength:"300" doc:"RFC 5545 rule of when it is fetched again"`
	TimeZone string            `json:"time_zone" maxLength:"60"`
}

// Analysis is what was found out about a list, with the file that was looked at.
type Analysis struct {
	File string `json:"file"`
	Name string `json:"name"`
	pricelist.Analysis
}

// Analyze finds out how a list is written and what its columns hold, and shows its first rows.
func (s *Service) Analyze(ctx context.Context, in PriceListInput) (Analysis, error) {
	out := Analysis{File: in.File, Name: in.Name}
	hints := pricelist.Hints{}
	if in.File == "" {
		var err error
		if out.File, out.Name, hints.Charset, err = s.download(ctx, in.Address); err != nil {
			if apikit.IsProblem(err) {
				return out, err
			}
			return out, apikit.Problem(422, "address", "%s", fileErrorMessage(in.Address, err))
		}
	}
	file, err := s.file(out.File)
	if err != nil {
		return out, err
	}
	defer func() { _ = file.Close() }()
	hints.Supplier = supplierName(out.Name)
	if in.Store != 0 {
		if err := s.Pool.QueryRow(ctx, `select currency from facts.store
			where id = $1`, in.Store).Scan(&hints.Currency); err != nil && !database.Missing(err) {
			return out, err
		}
	}
	look, err := pricelist.Analyze(ctx, file, in.Layout, hints)
	if errors.Is(err, pricelist.ErrXML) {
		look, err = analyzeDocument(file, in.Layout, hints)
	}
	if err != nil {
		if changed := (errNeedsDecision{}); errors.As(listError(err), &changed) {
			return out, apikit.Problem(422, "layout", "%s", changed.reason)
		}
		return out, listError(err)
	}
	out.Analysis = *look
	return out, nil
}

func (s *Service) file(hash string) (*os.File, error) {
	file, err := s.Blobs.Open(hash)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, apikit.Problem(404, "file", "That file is not here any more. Send it again.")
	}
	return file, err
}

// Cells reads the cells of an uploaded table, row by row: at most so many rows.
func (s *Service) Cells(ctx context.Context, hash string, most int) ([][]string, error) {
	file, err := s.file(hash)
	if err != nil {
		return nil, err
	}
	defer func() { _ = file.Close() }()
	rows, err := pricelist.Cells(ctx, file, most)
	if err != nil {
		return nil, listError(err)
	}
	cells := make([][]string, len(rows))
	for i, row := range rows {
		cells[i] = row.Cells
	}
	return cells, nil
}

// supplierName makes a name of a file's.
func supplierName(file string) string {
	name := strings.TrimSuffix(file, path.Ext(file))
	words := strings.FieldsFunc(name, func(r rune) bool { return !unicode.IsLetter(r) && r != '&' && r != '\'' })
	for i, w := range words {
		switch strings.ToLower(w) {
		case "price", "list", "prices", "pricelist", "export", "products", "catalog", "catalogue", "preisliste",
			"tarif", "csv", "xlsx":
			words[i] = ""
		default:
			runes := []rune(w)
			words[i] = string(unicode.ToUpper(runes[0])) + string(runes[1:])
		}
	}
	return strings.Join(strings.Fields(strings.Join(words, " ")), " ")
}

// ConnectList makes a source of a price list and begins to take it in.
func (s *Service) ConnectList(ctx context.Context, in PriceListInput) (int64, error) {
	if in.Layout == nil {
		return 0, apikit.Problem(422, "layout", "First say what the columns of this list hold.")
	}
	layout, err := s.checkedLayout(ctx, in)
	if err != nil {
		return 0, err
	}
	address := ""
	if in.Address != "" {
		u, err := fileAddress(in.Address)
		if err != nil {
			return 0, apikit.Problem(422, "address", "%s", errorMessage(in.Address, err))
		}
		address = u
	}
	var id int64
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `insert into source (kind, name, address, client_id, state, requests_per_second, layout)
			values ($4, $1, $2, '', 'connected', 1, $3) returning id`,
			layout.Supplier, address, layout, kindOf(layout)).Scan(&id)
		if database.Taken(err) {
			return apikit.Problem(409, "address", "The list at %s is among your sources already.", address)
		}
		if err != nil {
			return err
		}
		if address != "" && in.Schedule != "" {
			if err := setNext(ctx, tx, id, in.Schedule, in.TimeZone); err != nil {
				return apikit.Problem(422, "schedule", "%s", apikit.Sentence(err))
			}
		}
		if _, err := s.start(ctx, tx, id, ImportScope{Full: true, File: in.File, FileName: in.Name}); err != nil {
			return err
		}
		return members.Audit(ctx, tx, "connected source", layout.Supplier, nil,
			map[string]string{"address": address, "file": in.Name})
	})
	return id, err
}

// checkedLayout is a layout as what was answered makes it. It is a problem where a list leaves something open that a
// cost, a stock or a weight stands on.
func (s *Service) checkedLayout(ctx context.Context, in PriceListInput) (*pricelist.Layout, error) {
	looked, err := s.Analyze(ctx, in)
	if err == nil && looked.Error != "" {
		err = apikit.Problem(422, looked.Field, "%s", looked.Error)
	}
	return &looked.Layout, err
}

// Reconnect connects a price list again that was disconnected: its offers are back at once.
func (s *Service) Reconnect(ctx context.Context, id int64) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var name, rule, zone string
		err := tx.QueryRow(ctx, `update source set state = 'connected', error = '', connected_at = now()
			where id = $1 and state = 'disconnected' and kind = any ($2) returning name, schedule, time_zone`,
			id, kindsThat(func(c Capabilities) bool { return !c.Credentials })).Scan(&name, &rule, &zone)
		if database.Missing(err) {
			return apikit.NotFound("disconnected list")
		}
		if err != nil {
			return err
		}
		if err := setNext(ctx, tx, id, rule, zone); err != nil {
			return err
		}
		if err := s.Offers.NotifySource(ctx, tx, id); err != nil {
			return err
		}
		return members.Audit(ctx, tx, "connected source", name, nil, nil)
	})
}

// SaveLayout says anew how a source's list is read, and takes the file of its newest import in by
// that, which is the one that was looked at.
func (s *Service) SaveLayout(ctx context.Context, id int64, l pricelist.Layout) error {
	var newest PriceListInput
	err := s.Pool.QueryRow(ctx, `select file, file_name from import_run where source_id = $1 and file <> '' and is_full
		order by id desc limit 1`, id).Scan(&newest.File, &newest.Name)
	if err != nil && !database.Missing(err) {
		return err
	}
	if newest.Layout = &l; newest.File != "" {
		settled, err := s.checkedLayout(ctx, newest)
		if err != nil {
			return err
		}
		l = *settled
	} else if field, reason := l.Check(); reason != "" {
		return apikit.Problem(422, field, "%s", reason)
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var name string
		err := tx.QueryRow(ctx, `update source set layout = $2, error = ''
			where id = $1 and kind = any ($3) and state = 'connected' returning name`, id, l,
			kindsThat(func(c Capabilities) bool { return c.Terms })).Scan(&name)
		if database.Missing(err) {
			return apikit.NotFound("price list")
		}
		if err != nil {
			return err
		}
		_, err = s.start(ctx, tx, id, ImportScope{Full: true, File: newest.File, FileName: newest.Name})
		if database.Taken(err) {
			return apikit.Problem(409, "", "An import of this source is under way. Wait until it has ended.")
		}
		if err != nil {
			return err
		}
		return members.Audit(ctx, tx, "changed how a list is read", name, nil, l.Columns)
	})
}

// ImportFile takes a new file of a source in: the whole list, or only some rows that were mended.
func (s *Service) ImportFile(ctx context.Context, id int64, up UploadedFile, part bool) (ImportRun, error) {
	file, err := s.file(up.File)
	if err != nil {
		return ImportRun{}, err
	}
	_ = file.Close()
	var kind Kind
	if err := s.Pool.QueryRow(ctx, `select kind from source where id = $1`, id).Scan(&kind); err != nil {
		return ImportRun{}, apikit.NotFound("source")
	}
	if !kind.can().Files {
		return ImportRun{}, apikit.Problem(409, "file", "This source is not imported from a file.")
	}
	in, err := s.Start(ctx, id, ImportScope{Full: !part, Partial: part, File: up.File, FileName: up.Name})
	return in, err
}

// DeliveryTable is a table of deliveries that was sent as a file of its own.
type DeliveryTable struct {
	File     string `json:"file" maxLength:"64" doc:"An uploaded file"`
	Currency string `json:"currency" maxLength:"3" doc:"Taken where the table names none"`
}

// DeliveryResult are what was read of such a table.
type DeliveryResult struct {
	Deliveries []landed.Delivery `json:"deliveries"`
	Notes      []string          `json:"notes" doc:"Rows that could not be used, and why"`
}

// ReadDeliveries reads a table of deliveries; nothing is kept.
func (s *Service) ReadDeliveries(ctx context.Context, in DeliveryTable) (DeliveryResult, error) {
	file, err := s.file(in.File)
	if err != nil {
		return DeliveryResult{}, err
	}
	defer func() { _ = file.Close() }()
	list, notes, err := pricelist.DeliveriesOf(ctx, file, in.Currency)
	if errors.Is(err, pricelist.ErrNoDeliveries) {
		return DeliveryResult{}, problem(err)
	}
	if err != nil {
		return DeliveryResult{}, listError(err)
	}
	return DeliveryResult{list, append([]string{}, notes...)}, nil
}

// fileAddress reads the address of a file, which unlike that of a server has a path.
func fileAddress(typed string) (string, error) {
	if !strings.Contains(typed, "://") {
		typed = "https://" + typed
	}
	u, err := url.Parse(strings.TrimSpace(typed))
	if err != nil || u.Hostname() == "" || (u.Scheme != "http" && u.Scheme != "https") || u.User != nil {
		return "", outgoing.ErrAddress
	}
	u.Fragment = ""
	return u.String(), nil
}

// fetch downloads a source's file.
func (s *Service) fetch(ctx context.Context, in *activeImport) (hash, name string, err error) {
	if in.source.Address == "" {
		return "", "", apikit.Problem(409, "file", "This list has no address. Send its newest file.")
	}
	hash, name, _, err = s.download(ctx, in.source.Address)
	if err != nil && !apikit.IsProblem(err) && !blobs.Fault(err) && ctx.Err() == nil {
		err = &fetchError{fileErrorMessage(in.source.Address, err), err}
	}
	return hash, name, err
}

// download keeps a file that it fetches, and tells what the server says of its encoding.
func (s *Service) download(ctx context.Context, typed string) (hash, name, charset string, err error) {
	address, err := fileAddress(typed)
	if err != nil {
		return "", "", "", err
	}
	ctx, cancel := context.WithTimeout(ctx, 30*time.Minute)
	defer cancel()
	err = s.Connector.Client.Download(ctx, address, MaxFileBytes, func(answer *http.Response) error {
		var err error
		if _, parameters, err := mime.ParseMediaType(answer.Header.Get("Content-Type")); err == nil {
			charset = parameters["charset"]
		}
		hash, _, err = s.Blobs.PutStream(answer.Body)
		return err
	})
	return hash, path.Base(address), charset, err
}

// fileErrorMessage says why a file could not be fetched.
func fileErrorMessage(address string, err error) string {
	var status outgoing.ErrStatus
	switch {
	case errors.As(err, &status) && (status == http.StatusNotFound || status == http.StatusGone):
		return "There is no file at " + address + ". Check the address."
	case errors.As(err, &status) && (status == http.StatusUnauthorized || status == http.StatusForbidden):
		return "The file at " + address + " asks to sign in. Ask the supplier for an address that does not."
	case errors.As(err, &status):
		return fmt.Sprintf("The server at %s is out of order (it answers %d). Try again later.", address, int(status))
	case errors.Is(err, outgoing.ErrTooLarge):
		return tooLarge
	}
	return errorMessage(address, err)
}
