package workbench

import (
	"context"
	"io"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"plainpelican/core/variant"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/pictures"
	"plainpelican/platform/spreadsheet"
)

// InStore is the input of an operation on a draft as it stands in a store.
type InStore struct {
	apikit.ByID
	Store int64 `query:"store" doc:"The store whose prices and limits hold; 0 for none"`
}

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/drafts", "listDrafts",
		"List drafts with what each lacks, the newest first, page by page", func(ctx context.Context, in *struct {
			Store  int64   `query:"store"`
			Before int64   `query:"before" minimum:"0" doc:"The draft that the page begins after; 0 is the first page"`
			Limit  int     `query:"limit" minimum:"1" maximum:"500" default:"200"`
			IDs    []int64 `query:"ids,explode" maxItems:"500" doc:"These alone"`
			Filter
		}) (*apikit.Body[Page], error) {
			return apikit.OK(s.List(ctx, in.Store, in.Before, in.Limit, in.IDs, in.Filter))
		})
	s.registerTrays(a)
	s.registerWording(a)
	s.registerBulk(a)
	s.registerOptions(a)
	s.registerTable(a)
	a.Raw(access.OrderHandler, http.MethodGet, "/drafts/{id}/pictures/{picture}", s.servePicture)
	apikit.Register(a, access.Editor, http.MethodPost, "/api/drafts/take", "takeOffers", "Take offers to the workbench",
		func(ctx context.Context, in *struct {
			Body struct {
				Offers []int64 `json:"offers" minItems:"1" maxItems:"500"`
				Again  bool    `json:"again,omitempty" doc:"Take those that have drafts once more"`
			}
		}) (*apikit.Body[TakeResult], error) {
			return apikit.OK(s.Take(ctx, in.Body.Offers, in.Body.Again))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/drafts/{id}", "getDraft", "One draft, priced",
		func(ctx context.Context, in *InStore) (*apikit.Body[Draft], error) {
			return apikit.OK(s.Get(ctx, in.ID, in.Store))
		})
	apikit.Register(a, access.Editor, http.MethodPatch, "/api/drafts/{id}", "editDraft", "Change parts of a draft",
		func(ctx context.Context, in *struct {
			InStore
			Body EditInput
		}) (*apikit.Body[Edited], error) {
			return apikit.OK(s.Edit(ctx, in.ID, in.Store, in.Body))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/drafts/{id}/undo", "undoDraft",
		"Undo the last edit of one's own in a draft", func(ctx context.Context, in *struct {
			InStore
			Force bool `query:"force" doc:"Though a field that it touched was changed since"`
		}) (*apikit.Body[Draft], error) {
			return apikit.OK(s.Undo(ctx, in.ID, in.Store, in.Force))
		})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/drafts/{id}/here", "hereInDraft",
		"Tell others that one is in a draft", func(ctx context.Context, in *struct {
			apikit.ByID
			Body HereInput
		}) (*apikit.None, error) {
			return nil, s.Here(ctx, in.ID, in.Body)
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/drafts/{id}/redo", "redoDraft",
		"Do again what one undid last in a draft", func(ctx context.Context, in *struct {
			InStore
			Force bool `query:"force" doc:"Though a field that it touched was changed since"`
		}) (*apikit.Body[Draft], error) {
			return apikit.OK(s.Redo(ctx, in.ID, in.Store, in.Force))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/drafts/{id}/history", "draftHistory",
		"Who changed what in a draft, the last first", func(ctx context.Context, in *struct {
			apikit.ByID
			Before int64 `query:"before" minimum:"0"`
		}) (*apikit.Body[History], error) {
			return apikit.OK(s.History(ctx, in.ID, in.Before))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/drafts/{id}/swap/preview", "previewSwap",
		"What swapping the supplier of a draft would do", func(ctx context.Context, in *struct {
			InStore
			Body SwapInput
		}) (*apikit.Body[SwapPreview], error) {
			return apikit.OK(s.PreviewSwap(ctx, in.ID, in.Store, in.Body))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/drafts/{id}/swap", "swapSupplier",
		"Have a draft bought as another offer", func(ctx context.Context, in *struct {
			InStore
			Body SwapInput
		}) (*apikit.Body[Draft], error) {
			return apikit.OK(s.SwapSupplier(ctx, in.ID, in.Store, in.Body))
		})
	apikit.Register(a, access.Editor, http.MethodDelete, "/api/drafts/{id}", "discardDraft", "Discard a draft",
		func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.Discard(ctx, in.ID)
		})
}

// registerOptions adds the operations on the options of a draft.
func (s *Service) registerOptions(a *apikit.API) {
	apikit.Register(a, access.Editor, http.MethodPost, "/api/drafts/{id}/reshape", "reshapeDraft",
		"Change the options of a draft, or which variants are in it, or preview that",
		func(ctx context.Context, in *struct {
			InStore
			Body ReshapeInput
		}) (*apikit.Body[ReshapeResult], error) {
			return apikit.OK(s.Reshape(ctx, in.ID, in.Store, in.Body))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/drafts/{id}/combine", "combineDraft",
		"Take variants of another supplier's offer into a draft, or preview that",
		func(ctx context.Context, in *struct {
			InStore
			Body CombineInput
		}) (*apikit.Body[CombineResult], error) {
			return apikit.OK(s.Combine(ctx, in.ID, in.Store, in.Body))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/drafts/{id}/proposals", "optionProposals",
		"What could be put right with the options of a draft",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[[]variant.Proposal], error) {
			return apikit.OK(s.Proposals(ctx, in.ID))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/drafts/{id}/split", "splitDraft",
		"Part a draft into one for each value of an option", func(ctx context.Context, in *struct {
			apikit.ByID
			Body SplitInput
		}) (*apikit.Body[SplitResult], error) {
			return apikit.OK(s.SplitDraft(ctx, in.ID, in.Body))
		})
}

// registerBulk adds the operations on many drafts.
func (s *Service) registerBulk(a *apikit.API) {
	apikit.Register(a, access.Editor, http.MethodPost, "/api/drafts/prices", "priceInBulk",
		"Set or release the prices of many drafts at once, or preview that", func(ctx context.Context, in *struct {
			Body BulkPriceInput
		}) (*apikit.Body[BulkPriceResult], error) {
			return apikit.OK(s.PriceInBulk(ctx, in.Body))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/drafts/bulk/{id}/undo", "undoBulk",
		"Undo a change of many drafts as one step",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[UndoBulkResult], error) {
			return apikit.OK(s.UndoBulk(ctx, in.ID))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/drafts/change", "changeInBulk",
		"Change many drafts at once, or preview that", func(ctx context.Context, in *struct {
			Body BulkInput
		}) (*apikit.Body[BulkResult], error) {
			return apikit.OK(s.ChangeInBulk(ctx, in.Body))
		})
}

const maxFile = 20 << 20

// registerTable adds the operations on many drafts as one table, and as a file.
func (s *Service) registerTable(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/drafts/table", "draftTable",
		"Drafts as the rows of a table, the newest first, page by page", func(ctx context.Context, in *struct {
			Store    int64   `query:"store"`
			Before   int64   `query:"before" minimum:"0" doc:"The draft that the page begins after; 0 is the first"`
			Limit    int     `query:"limit" minimum:"1" maximum:"500" default:"100"`
			IDs      []int64 `query:"ids,explode" maxItems:"500" doc:"These alone"`
			Variants bool    `query:"variants" doc:"With the variants of each"`
			Filter
		}) (*apikit.Body[TablePage], error) {
			return apikit.OK(s.Table(ctx, in.Store, in.Before, in.Limit, in.IDs, in.Filter, in.Variants))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/drafts/edits", "editMany",
		"Edit many drafts, each otherwise, as one step", func(ctx context.Context, in *struct {
			Store int64 `query:"store"`
			Body  struct {
				Edits []DraftEdit `json:"edits" minItems:"1" maxItems:"10000"`
			}
		}) (*apikit.Body[EditManyResult], error) {
			return apikit.OK(s.EditMany(ctx, in.Store, in.Body.Edits))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/drafts/export", "exportDrafts",
		"Drafts as a file, a row for each variant", func(ctx context.Context, in *struct {
			Store  int64  `query:"store"`
			Format string `query:"format" enum:"csv,xlsx" default:"csv"`
			Filter
		}) (*huma.StreamResponse, error) {
			if _, err := s.evaluated(ctx, in.Store, in.Filter); err != nil {
				return nil, err
			}
			return &huma.StreamResponse{Body: func(h huma.Context) {
				h.SetHeader("Content-Type", spreadsheet.Kinds[in.Format])
				h.SetHeader("Content-Disposition", `attachment; filename="drafts.`+in.Format+`"`)
				if err := s.Export(h.Context(), in.Store, in.Filter, in.Format, h.BodyWriter()); err != nil {
					panic(http.ErrAbortHandler) // so that the browser sees it cut
				}
			}}, nil
		})
	flag := &huma.Schema{Type: "boolean"}
	a.RawDocumented(access.Editor, huma.Operation{Method: http.MethodPost, Path: "/api/drafts/import",
		OperationID: "importDrafts", Summary: "What a file of drafts would change, or the change itself",
		Parameters: []*huma.Param{{Name: "store", In: "query", Description: "The store whose prices are meant",
			Schema: &huma.Schema{Type: "integer", Format: "int64"}}, {Name: "apply", In: "query",
			Description: "Make the changes; otherwise they are only looked at", Schema: flag}},
		RequestBody: &huma.RequestBody{Required: true, Content: apikit.Content("application/octet-stream")},
		Responses: map[string]*huma.Response{"200": {Description: "What differs",
			Content: map[string]*huma.MediaType{"application/json": {Schema: a.Schema(FileResult{})}}}},
	}, s.importFile)
}

// importFile reads a file of drafts from a request.
func (s *Service) importFile(w http.ResponseWriter, r *http.Request) {
	content, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxFile))
	if err != nil {
		apikit.WriteProblem(w, http.StatusRequestEntityTooLarge, "file", "The file has more than 20 MB.")
		return
	}
	store, _ := strconv.ParseInt(r.URL.Query().Get("store"), 10, 64)
	out, err := s.Import(r.Context(), store, content, r.URL.Query().Get("apply") == "true")
	if err != nil {
		apikit.Fail(w, err)
		return
	}
	apikit.WriteJSON(w, http.StatusOK, out)
}

// registerTrays adds the operations on trays.
func (s *Service) registerTrays(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/trays", "listTrays", "List trays in order",
		func(ctx context.Context, _ *struct{}) (*apikit.Body[[]Tray], error) {
			return apikit.OK(s.Trays(ctx))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/trays", "createTray", "Make a tray",
		func(ctx context.Context, in *struct{ Body TrayInput }) (*apikit.Body[Tray], error) {
			return apikit.OK(s.CreateTray(ctx, in.Body))
		})
	apikit.Register(a, access.Editor, http.MethodPatch, "/api/trays/{id}", "changeTray",
		"Rename a tray, move it in the list, or put its drafts aside", func(ctx context.Context, in *struct {
			apikit.ByID
			Body TrayInput
		}) (*apikit.None, error) {
			return nil, s.ChangeTray(ctx, in.ID, in.Body)
		})
	apikit.Register(a, access.Editor, http.MethodDelete, "/api/trays/{id}", "removeTray",
		"Remove a tray; its drafts stay", func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.RemoveTray(ctx, in.ID)
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/drafts/names", "draftNames",
		"Collections, tags, types, vendors and suppliers that drafts have",
		func(ctx context.Context, _ *struct{}) (*apikit.Body[NameLists], error) {
			return apikit.OK(s.NameLists(ctx))
		})
}

// registerWording adds the operations on lists of words, and on the words of one draft.
func (s *Service) registerWording(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/wording", "getWording",
		"The lists of words that tidying goes by, and those that may not be used",
		func(ctx context.Context, _ *struct{}) (*apikit.Body[Wording], error) {
			return apikit.OK(s.Wording(ctx))
		})
	apikit.Register(a, access.Editor, http.MethodPut, "/api/wording", "setWording", "Change the lists of words",
		func(ctx context.Context, in *struct{ Body Wording }) (*apikit.Body[Wording], error) {
			return apikit.OK(s.SetWording(ctx, in.Body))
		})
	apikit.Register(a, access.Editor, http.MethodDelete, "/api/wording", "resetWording",
		"Bring the lists for tidying back to the standard ones",
		func(ctx context.Context, _ *struct{}) (*apikit.Body[Wording], error) {
			return apikit.OK(s.ResetWording(ctx))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/drafts/{id}/tidy", "tidyDraft",
		"What to tidy in the words of a draft, and how much of them is the supplier's",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[Tidied], error) {
			return apikit.OK(s.Tidy(ctx, in.ID))
		})
}

// servePicture serves a picture of a draft, which is fetched where that was not done.
func (s *Service) servePicture(w http.ResponseWriter, r *http.Request) {
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	picture, err2 := strconv.Atoi(chi.URLParam(r, "picture"))
	if err != nil || err2 != nil {
		http.NotFound(w, r)
		return
	}
	var d draft
	var hash string
	var content []byte
	err = s.Pool.QueryRow(r.Context(), `select pictures from draft where id = $1`, id).Scan(&d.pictures)
	if database.Missing(err) {
		err = pictures.ErrNone
	}
	if err == nil {
		if p := d.picture(&picture); p != nil {
			hash, content, err = s.Media.PictureAt(r.Context(), p.URL)
		} else {
			err = pictures.ErrNone
		}
	}
	s.Media.Serve(w, r, hash, content, err)
}
