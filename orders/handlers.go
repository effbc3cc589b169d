package orders

import (
	"context"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/spreadsheet"
)

// IDs names some orders, or purchases.
type IDs struct {
	IDs []int64 `json:"ids" minItems:"1" maxItems:"5000"`
}

// Moved is how many of them moved.
type Moved struct {
	Moved int `json:"moved"`
}

// Register adds its routes.
func (s *Service) Register(a *apikit.API) {
	// Who speaks here is known by their signature.
	a.Raw(access.Public, http.MethodPost, hookPath+"{key}", s.receive)
	a.Raw(access.Public, http.MethodGet, trackPath+"look.css", trackStyle)
	a.Raw(access.Public, http.MethodGet, trackPath+"{key}", s.track)
	apikit.Register(a, access.OrderHandler, http.MethodGet, "/api/orders", "listOrders",
		"Customers' orders, the newest first",
		func(ctx context.Context, in *struct {
			Filter
			Before int64 `query:"before" minimum:"0" doc:"The order that the page begins after; 0 is the first page"`
			Limit  int   `query:"limit" minimum:"1" maximum:"500" default:"100"`
		}) (*apikit.Body[Page], error) {
			if in.Filter.Matter == "loses" && !seesCosts(ctx) {
				return nil, apikit.Problem(403, "", "Your role does not show what orders leave.")
			}
			page, err := s.List(ctx, in.Before, in.Limit, in.Filter)
			page.hideCosts(ctx)
			return apikit.OK(page, err)
		})
	apikit.Register(a, access.OrderHandler, http.MethodGet, "/api/orders/choices", "orderChoices",
		"What orders can be filtered by", func(ctx context.Context, _ *apikit.None) (*apikit.Body[Choices], error) {
			return apikit.OK(s.Choices(ctx))
		})
	apikit.Register(a, access.OrderHandler, http.MethodGet, "/api/orders/{id}", "getOrder", "One order in full",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[Order], error) {
			return shown(ctx)(s.Order(ctx, in.ID))
		})
	apikit.Register(a, access.OrderHandler, http.MethodPut, "/api/orders/{id}/address", "setOrderAddress",
		"Correct where an order goes, or accept it as it is", func(ctx context.Context, in *struct {
			apikit.ByID
			Body AddressInput
		}) (*apikit.Body[Order], error) {
			return shown(ctx)(s.SetAddress(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/orders/review", "reviewOrders",
		"What buying orders would come to, before anything is bought",
		func(ctx context.Context, in *struct{ Body BuyInput }) (*apikit.Body[Review], error) {
			look, err := s.Review(ctx, in.Body)
			look.hideCosts(ctx)
			return apikit.OK(look, err)
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/orders/buy", "buyOrders",
		"Buy what is in orders from their suppliers",
		func(ctx context.Context, in *struct{ Body BuyInput }) (*apikit.Body[Purchases], error) {
			made, err := s.Buy(ctx, in.Body)
			made.hideCosts(ctx)
			return apikit.OK(made, err)
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/orders/archive", "archiveOrders",
		"Put orders out of sight, or back", func(ctx context.Context, in *struct {
			Body struct {
				IDs
				Archived bool `json:"archived"`
			}
		}) (*apikit.Body[Moved], error) {
			n, err := s.Archive(ctx, in.Body.IDs.IDs, in.Body.Archived)
			return apikit.OK(Moved{n}, err)
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/orders/read", "readOrders",
		"Read the stores' orders, and ask suppliers for news, now",
		func(ctx context.Context, _ *apikit.None) (*apikit.None, error) {
			return nil, s.Refresh(ctx)
		})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/purchases/pay", "payPurchases",
		"Pay purchases from the balance at their sources",
		func(ctx context.Context, in *struct{ Body IDs }) (*apikit.Body[Moved], error) {
			n, err := s.Pay(ctx, in.Body.IDs)
			return apikit.OK(Moved{n}, err)
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/purchases/owed", "owedPurchases",
		"Purchases that wait to be paid", func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]OwedPurchase],
			error) {
			return apikit.OK(s.Owed(ctx))
		})
	s.registerByHand(a)
	s.registerSlips(a)
	s.registerProblems(a)
	s.registerCustomers(a)
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/stores/{id}/auto-buy", "getAutoBuy",
		"Which orders of a store are bought without a person",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[AutoBuyView], error) {
			return apikit.OK(s.AutoBuy(ctx, in.ID))
		})
	apikit.Register(a, access.Owner, http.MethodPut, "/api/stores/{id}/auto-buy", "setAutoBuy",
		"Say which orders of a store are bought without a person, and when", func(ctx context.Context, in *struct {
			apikit.ByID
			Body AutoBuy
		}) (*apikit.Body[AutoBuyView], error) {
			return apikit.OK(s.SetAutoBuy(ctx, in.ID, in.Body))
		})
}

// registerProblems adds the routes of what a person does where something goes wrong.
func (s *Service) registerProblems(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/orders/lines/{id}/suppliers", "otherSuppliers",
		"The same item at other suppliers, as it comes to for a line of an order",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[[]OtherSupplier], error) {
			return apikit.OK(s.OtherSuppliers(ctx, in.ID))
		})
	apikit.Register(a, access.OrderHandler, http.MethodPut, "/api/orders/lines/{id}", "setOrderLine",
		"Buy a line from another supplier for its order alone, or not at all", func(ctx context.Context, in *struct {
			apikit.ByID
			Body LineInput
		}) (*apikit.Body[Order], error) {
			return shown(ctx)(s.SetLine(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/purchases/{id}/messages", "writeToSupplier",
		"Write to the supplier of a purchase", func(ctx context.Context, in *struct {
			apikit.ByID
			Body MessageInput
		}) (*apikit.Body[Order], error) {
			return shown(ctx)(s.Write(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/purchases/{id}/claims", "openClaim",
		"Note what went wrong with a purchase, and claim it from the supplier", func(ctx context.Context, in *struct {
			apikit.ByID
			Body ClaimInput
		}) (*apikit.Body[Order], error) {
			return shown(ctx)(s.Claim(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/orders/{id}/refunds", "refundOrder",
		"Give a customer money back through the store", func(ctx context.Context, in *struct {
			apikit.ByID
			Body RefundInput
		}) (*apikit.Body[Order], error) {
			return shown(ctx)(s.Refund(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/claims/{id}/settle", "settleClaim",
		"End a claim with what the supplier gave back, or write it off", func(ctx context.Context, in *struct {
			apikit.ByID
			Body SettleInput
		}) (*apikit.Body[Order], error) {
			return shown(ctx)(s.SettleClaim(ctx, in.ID, in.Body))
		})
}

// shown answers with an order, without what who asks may not see.
func shown(ctx context.Context) func(Order, error) (*apikit.Body[Order], error) {
	return func(o Order, err error) (*apikit.Body[Order], error) {
		o.hideCosts(ctx)
		return apikit.OK(o, err)
	}
}

// registerByHand adds the routes of what a person does with order sheets and files.
func (s *Service) registerByHand(a *apikit.API) {
	apikit.Register(a, access.OrderHandler, http.MethodGet, "/api/purchases/to-send", "purchasesToSend",
		"Sources with purchases that wait to be sent by a person",
		func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]ToSend], error) {
			return apikit.OK(s.ToSend(ctx))
		})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/purchases/answer", "takeSheetAnswer",
		"Read the tracking numbers of an order sheet that a supplier filled in", func(ctx context.Context, in *struct {
			Body AnswerInput
		}) (*apikit.Body[AnswerOutcome], error) {
			return apikit.OK(s.TakeAnswer(ctx, in.Body))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/purchases/sheet", "orderSheet",
		"An order sheet: what waits to be sent to the suppliers of a source", func(_ context.Context, in *struct {
			Source int64  `query:"source" required:"true"`
			Format string `query:"format" enum:"csv,xlsx" default:"csv"`
		}) (*huma.StreamResponse, error) {
			return download(spreadsheet.Kinds[in.Format], "order-sheet."+in.Format, func(h huma.Context) error {
				return s.WriteSheet(h.Context(), h.BodyWriter(), in.Source, in.Format)
			}), nil
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/purchases/sent", "purchasesSent",
		"Note that purchases were sent to their suppliers by a person",
		func(ctx context.Context, in *struct{ Body IDs }) (*apikit.Body[Moved], error) {
			n, err := s.Sent(ctx, in.Body.IDs)
			return apikit.OK(Moved{n}, err)
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/purchases/{id}/parcel", "purchaseShipped",
		"Note the parcel of a purchase that a person sent, and tell the store", func(ctx context.Context, in *struct {
			apikit.ByID
			Body ParcelInput
		}) (*apikit.Body[Order], error) {
			return shown(ctx)(s.Shipped(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/purchases/{id}/delivered", "purchaseDelivered",
		"Note that the parcel of a purchase that a person sent is there",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[Moved], error) {
			n, err := s.Arrived(ctx, in.ID)
			return apikit.OK(Moved{n}, err)
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/purchases/{id}/give-up", "giveUpPurchase",
		"Take a purchase back that is not with the supplier yet", func(ctx context.Context, in *struct {
			apikit.ByID
			Body struct {
				Reason string `json:"reason" maxLength:"300"`
			}
		}) (*apikit.Body[Order], error) {
			return shown(ctx)(s.GiveUp(ctx, in.ID, in.Body.Reason))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/orders/export", "exportOrders",
		"Orders as CSV, without who bought", func(_ context.Context, in *struct{ Filter }) (*huma.StreamResponse,
			error) {
			return download(spreadsheet.Kinds["csv"], "orders.csv", func(h huma.Context) error {
				return s.Export(h.Context(), h.BodyWriter(), in.Filter)
			}), nil
		})
	a.RawDocumented(access.Editor, huma.Operation{Method: http.MethodPost, Path: "/api/stores/{id}/orders",
		OperationID: "takeOrderFile", Summary: "Take the orders of a store without an API in, as CSV",
		Parameters: []*huma.Param{{Name: "id", In: "path", Required: true,
			Schema: &huma.Schema{Type: "integer", Format: "int64"}}},
		RequestBody: &huma.RequestBody{Required: true, Content: apikit.Content("text/csv")},
		Responses: map[string]*huma.Response{"200": {Description: "What came of it",
			Content: map[string]*huma.MediaType{"application/json": {Schema: a.Schema(FileOutcome{})}}}},
	}, s.takeFile)
}

// download streams a file; one that cannot be written to its end is cut, so that the browser sees it.
func download(kind, name string, write func(huma.Context) error) *huma.StreamResponse {
	return &huma.StreamResponse{Body: func(h huma.Context) {
		h.SetHeader("Content-Type", kind)
		h.SetHeader("Content-Disposition", `attachment; filename="`+name+`"`)
		if write(h) != nil {
			panic(http.ErrAbortHandler)
		}
	}}
}

// maxFile is how large a file of orders may be, in bytes.
const maxFile = 10 << 20

// takeFile reads a file of orders from a request.
func (s *Service) takeFile(w http.ResponseWriter, r *http.Request) {
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err != nil {
		apikit.WriteProblem(w, http.StatusNotFound, "", "There is no such store.")
		return
	}
	out, err := s.TakeFile(r.Context(), id, http.MaxBytesReader(w, r.Body, maxFile))
	if err != nil {
		apikit.Fail(w, err)
		return
	}
	apikit.WriteJSON(w, http.StatusOK, out)
}
