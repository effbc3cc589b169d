package sources

import (
	"context"
	"fmt"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/jackc/pgx/v5"

	"plainpelican/connect/pricelist"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/spreadsheet"
)

// RejectedRow is an item that an import could not use.
type RejectedRow struct {
	Position string   `json:"position"`
	Reason   string   `json:"reason"`
	Content  string   `json:"content"`
	Cells    []string `json:"cells" doc:"The row, where it is one of a price list"`
}

// Connected names the source that was connected.
type Connected struct {
	ID int64 `json:"id"`
}

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/sources", "listSources",
		"List sources with their health", func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]Source], error) {
			return apikit.OK(s.List(ctx))
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/sources", "connectSource",
		"Connect a marketplace, or connect it again",
		func(ctx context.Context, in *struct{ Body Credentials }) (*apikit.Body[Connected], error) {
			id, err := s.Connect(ctx, in.Body)
			return apikit.OK(Connected{id}, err)
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/sources/{id}/disconnect", "disconnectSource",
		"Disconnect a source", func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.Disconnect(ctx, in.ID)
		})
	apikit.Register(a, access.Owner, http.MethodPut, "/api/sources/{id}", "updateSource",
		"Change a source's name, schedule and limits, or pause it", func(ctx context.Context, in *struct {
			apikit.ByID
			Body SourceSettings
		}) (*apikit.None, error) {
			return nil, s.SaveSettings(ctx, in.ID, in.Body)
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/sources/{id}/imports", "startImport",
		"Import a source's catalog: its changes, or all of it", func(ctx context.Context, in *struct {
			apikit.ByID
			Whole bool `query:"full"`
		}) (*apikit.Body[ImportRun], error) {
			return apikit.OK(s.Start(ctx, in.ID, ImportScope{Full: in.Whole}))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/imports/{id}/decide", "decideImport",
		"Approve an import that needs it, or discard it", func(ctx context.Context, in *struct {
			apikit.ByID
			Body struct {
				GoOn bool `json:"approve"`
			}
		}) (*apikit.None, error) {
			return nil, s.Decide(ctx, in.ID, in.Body.GoOn)
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/imports/{id}/rejected", "listRejected",
		"What an import rejected, with the reasons",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[[]RejectedRow], error) {
			rows, err := s.Pool.Query(ctx, `select position, reason, content, cells from rejected_row
				where import_id = $1
			order by id limit 1000`, in.ID)
			if err != nil {
				return nil, err
			}
			return apikit.OK(pgx.CollectRows(rows, pgx.RowToStructByPos[RejectedRow]))
		})
	a.RawDocumented(access.Fulfiller, huma.Operation{Method: http.MethodGet, Path: "/api/imports/{id}/rejected.csv",
		OperationID: "downloadRejected", Summary: "What an import rejected, as CSV to be corrected and uploaded again",
		Parameters: []*huma.Param{{Name: "id", In: "path", Required: true, Description: "The import",
			Schema: &huma.Schema{Type: "integer", Format: "int64"}}},
		Responses: map[string]*huma.Response{"200": {Description: "The rows", Content: apikit.Content("text/csv")}},
	}, s.downloadRejected)
	a.RawDocumented(access.Fulfiller,
		huma.Operation{Method: http.MethodPost, Path: "/api/files", OperationID: "uploadFile",
			Summary: "Upload a file, to be named in later requests",
			Parameters: []*huma.Param{{Name: "name", In: "query", Required: true, Description: "The file's name",
				Schema: &huma.Schema{Type: "string", MaxLength: new(255)}}},
			RequestBody: &huma.RequestBody{Required: true, Content: apikit.Content("application/octet-stream")},
			Responses: map[string]*huma.Response{"200": {Description: "The file",
				Content: map[string]*huma.MediaType{"application/json": {Schema: a.Schema(UploadedFile{})}}}},
		}, s.upload)
	apikit.Register(a, access.Editor, http.MethodPost, "/api/price-lists/analyze", "analyzeList",
		"Analyze a price list: how it is written, what its columns hold, its first rows as offers",
		func(ctx context.Context, in *struct{ Body PriceListInput }) (*apikit.Body[Analysis], error) {
			return apikit.OK(s.Analyze(ctx, in.Body))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/price-lists/deliveries", "readDeliveries",
		"Read a table of what delivery costs",
		func(ctx context.Context, in *struct{ Body DeliveryTable }) (*apikit.Body[DeliveryResult], error) {
			return apikit.OK(s.ReadDeliveries(ctx, in.Body))
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/price-lists", "connectList", "Connect a price list",
		func(ctx context.Context, in *struct{ Body PriceListInput }) (*apikit.Body[Connected], error) {
			id, err := s.ConnectList(ctx, in.Body)
			return apikit.OK(Connected{id}, err)
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/links", "importLinks",
		"Import the products of pasted links, one a line", func(ctx context.Context, in *struct {
			Body struct {
				Links string `json:"links" maxLength:"200000"`
			}
		}) (*apikit.Body[ImportRun], error) {
			return apikit.OK(s.ImportLinks(ctx, in.Body.Links))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/imports/{id}/links", "listLinkResults",
		"What came of each pasted link",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[[]LinkResult], error) {
			return apikit.OK(s.LinkResults(ctx, in.ID))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/sources/{id}/categories", "listCategories",
		"A source's category names and where they belong in the seller's own tree",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[Categories], error) {
			return apikit.OK(s.CategoriesOf(ctx, in.ID))
		})
	apikit.Register(a, access.Editor, http.MethodPut, "/api/sources/{id}/categories", "mapCategories",
		"Say where category names of a source belong", func(ctx context.Context, in *struct {
			apikit.ByID
			Body []CategoryChoice `maxItems:"5000"`
		}) (*apikit.None, error) {
			return nil, s.MapCategories(ctx, in.ID, in.Body)
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/sources/{id}/connect", "reconnectList",
		"Connect a price list again", func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.Reconnect(ctx, in.ID)
		})
	apikit.Register(a, access.Editor, http.MethodPut, "/api/sources/{id}/layout", "saveLayout",
		"Change how a list is read", func(ctx context.Context, in *struct {
			apikit.ByID
			Body pricelist.Layout
		}) (*apikit.None, error) {
			return nil, s.SaveLayout(ctx, in.ID, in.Body)
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/sources/{id}/analysis", "analyzeSource",
		"Analyze a list's newest file by its layout",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[Analysis], error) {
			return apikit.OK(s.analyzeNewest(ctx, in.ID))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/sources/{id}/files", "importFile",
		"Import a new file of a list, or corrected rows of it", func(ctx context.Context, in *struct {
			apikit.ByID
			Part bool `query:"partial" doc:"Only some rows: what is missing is not withdrawn"`
			Body UploadedFile
		}) (*apikit.Body[ImportRun], error) {
			return apikit.OK(s.ImportFile(ctx, in.ID, in.Body, in.Part))
		})
}

// analyzeNewest shows the file of a list's newest import. A list that has changed is looked at
// anew: what was said of columns that are still there is kept.
func (s *Service) analyzeNewest(ctx context.Context, id int64) (Analysis, error) {
	var in PriceListInput
	var layout *pricelist.Layout
	err := s.Pool.QueryRow(ctx, `
		select i.file, i.file_name, x.layout, x.address from import_run i join source x on x.id = i.source_id
		where x.id = $1 and i.file <> '' and i.is_full order by i.id desc limit 1`, id).
		Scan(&in.File, &in.Name, &layout, &in.Address)
	if database.Missing(err) {
		return Analysis{}, apikit.NotFound("price list")
	}
	if err != nil || layout == nil {
		return Analysis{}, err
	}
	in.Layout = layout
	looked, err := s.Analyze(ctx, in)
	if err == nil && pricelist.Same(looked.Columns, layout.Columns) {
		return looked, nil
	}
	in.Layout = nil
	anew, err := s.Analyze(ctx, in)
	if err != nil {
		return anew, err
	}
	in.Layout = anew.Layout.Keep(layout)
	return s.Analyze(ctx, in)
}

// downloadRejected writes what an import set aside as CSV, to be mended and sent again: the
// columns of the list, with the position and the reason behind them.
func (s *Service) downloadRejected(w http.ResponseWriter, r *http.Request) {
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err != nil {
		http.NotFound(w, r)
		return
	}
	ctx := r.Context()
	var names []string
	if err := s.Pool.QueryRow(ctx, `select columns from import_run where id = $1`, id).Scan(&names); err != nil {
		http.NotFound(w, r)
		return
	}
	rows, err := s.Pool.Query(ctx, `select position, reason, content, cells from rejected_row where import_id = $1
		order by id`, id)
	if err != nil {
		http.Error(w, internalErrorMessage, http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="set-aside-%d.csv"`, id))
	_, _ = w.Write([]byte("\xef\xbb\xbf"))
	out := spreadsheet.NewWriter(w)
	isList := len(names) > 0
	if !isList {
		names = []string{"item"}
	}
	_ = out.Write(append(names, "rejected: position", "rejected: reason"))
	var item RejectedRow
	_, err = pgx.ForEachRow(rows, []any{&item.Position, &item.Reason, &item.Content, &item.Cells}, func() error {
		cells := item.Cells
		if !isList {
			cells = []string{item.Content}
		}
		line := make([]string, len(names), len(names)+2)
		for i := range line {
			if i < len(cells) {
				line[i] = cells[i]
			}
		}
		item.Cells = nil
		return out.Write(append(line, item.Position, item.Reason))
	})
	if err != nil {
		s.Log.Error("writing rejected rows", "import", id, "error", err)
	}
	out.Flush()
}
