package orders

import (
	"context"
	"errors"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/jackc/pgx/v5"

	"plainpelican/core/order"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/paper"
)

// Uploads reads pictures that were uploaded.
type Uploads interface {
	// ReadUploaded reads one as a JPEG of at most a width in pixels; its error is a clause that says why it cannot be
	// used.
	ReadUploaded(file string, width int) ([]byte, error)
}

// SlipSettings are how the packing slips of a store look.
type SlipSettings struct {
	Paper    string `json:"paper" enum:"a6,a5,letter"`
	Language string `json:"language" maxLength:"8" doc:"Of its labels, BCP 47: one of those that can be chosen"`
	Words    string `json:"words" maxLength:"1000" doc:"What the shop says to its customers at the end"`
	Sends    bool   `json:"sends" doc:"Goes to the supplier with each purchase where its source takes documents"`
}

// SlipChange is what changes of SlipSettings; what is absent stays.
type SlipChange struct {
	Paper    *string `json:"paper,omitempty" enum:"a6,a5,letter"`
	Language *string `json:"language,omitempty" maxLength:"8"`
	Words    *string `json:"words,omitempty" maxLength:"1000"`
	Sends    *bool   `json:"sends,omitempty"`
}

// SlipSettingsView is SlipSettings with what can be chosen.
type SlipSettingsView struct {
	SlipSettings
	HasLogo   bool     `json:"has_logo"`
	Languages []string `json:"languages" doc:"That can be chosen, BCP 47"`
}

// logoWidth is that of a logo in pixels: 40 mm at 300 to an inch.
const logoWidth = 500

// slipSettings reads how a store's slips look: as usual where nobody said.
func (s *Service) slipSettings(ctx context.Context, q database.Querier, storeID int64) (set SlipSettings,
	logo []byte, err error) {
	set = SlipSettings{Paper: "a6", Language: "en"}
	err = q.QueryRow(ctx, `select paper, language, words, sends, logo from slip_settings where store_id = $1`,
		storeID).Scan(&set.Paper, &set.Language, &set.Words, &set.Sends, &logo)
	if database.Missing(err) {
		err = nil
	}
	return set, logo, err
}

// SlipSettings reads how a store's packing slips look.
func (s *Service) SlipSettings(ctx context.Context, storeID int64) (out SlipSettingsView, err error) {
	if _, err := s.Stores.Get(ctx, storeID); err != nil {
		return out, err
	}
	var logo []byte
	out.SlipSettings, logo, err = s.slipSettings(ctx, s.Pool, storeID)
	out.HasLogo, out.Languages = len(logo) > 0, slices.Sorted(maps.Keys(slipLanguages))
	return out, err
}

// ChangeSlipSettings says how a store's packing slips look; what two people change at once is all kept.
func (s *Service) ChangeSlipSettings(ctx context.Context, storeID int64, to SlipChange) (SlipSettingsView, error) {
	found, err := s.Stores.Get(ctx, storeID)
	if err != nil {
		return SlipSettingsView{}, err
	}
	if to.Language != nil {
		if _, known := slipLanguages[*to.Language]; !known {
			return SlipSettingsView{}, apikit.Problem(422, "language", "Slips cannot be in “%s” yet.", *to.Language)
		}
	}
	if to.Words != nil {
		words := strings.TrimSpace(*to.Words)
		to.Words = &words
	}
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `insert into slip_settings (store_id) values ($1) on conflict do nothing`,
			storeID); err != nil {
			return err
		}
		before, _, err := s.slipSettings(ctx, tx, storeID)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update slip_settings set paper = coalesce($2, paper),
			language = coalesce($3, language), words = coalesce($4, words), sends = coalesce($5, sends)
			where store_id = $1`, storeID, to.Paper, to.Language, to.Words, to.Sends); err != nil {
			return err
		}
		return members.Audit(ctx, tx, "changed packing slips", found.Name, before, to)
	})
	if err != nil {
		return SlipSettingsView{}, err
	}
	return s.SlipSettings(ctx, storeID)
}

// LogoInput is a picture that was uploaded; none takes the logo away.
type LogoInput struct {
	File string `json:"file" maxLength:"64"`
}

// SetLogo puts a shop's logo on its packing slips.
func (s *Service) SetLogo(ctx context.Context, storeID int64, in LogoInput) (SlipSettingsView, error) {
	found, err := s.Stores.Get(ctx, storeID)
	if err != nil {
		return SlipSettingsView{}, err
	}
	var logo []byte
	if in.File != "" {
		if logo, err = s.Uploads.ReadUploaded(in.File, logoWidth); err != nil {
			return SlipSettingsView{}, apikit.Problem(422, "file", "The picture cannot be used: %s.", err)
		}
	}
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `insert into slip_settings (store_id, logo) values ($1, $2)
			on conflict (store_id) do update set logo = excluded.logo`, storeID, logo); err != nil {
			return err
		}
		return members.Audit(ctx, tx, "changed the logo of packing slips", found.Name, nil, nil)
	})
	if err != nil {
		return SlipSettingsView{}, err
	}
	return s.SlipSettings(ctx, storeID)
}

// sample is a slip of nobody's order, to see what slips look like.
func (s *Service) sample(ctx context.Context, storeID int64) ([]byte, error) {
	found, err := s.Stores.Get(ctx, storeID)
	if err != nil {
		return nil, err
	}
	of := slip{shop: found.Name, number: "#1001", placed: time.Now(), to: order.Address{Name: "Maya Okafor",
		Line1: "418 Juniper Street", City: "Portland", Region: "OR", Postcode: "97205", Country: "US"},
		lines: []slipLine{{"Linen apron with two pockets", "Rust, one size", 1}, {"Beeswax candle", "", 4}}}
	if of.set, of.logo, err = s.slipSettings(ctx, s.Pool, storeID); err != nil {
		return nil, err
	}
	return printed([]slip{of})
}

// printed makes one PDF of slips, each beginning on a page of its own.
func printed(slips []slip) ([]byte, error) {
	labels := slipLanguages[slips[0].set.Language]
	doc := paper.New(labels.slip, slips[0].set.Language)
	for i := range slips {
		slips[i].draw(doc)
	}
	pdf, err := doc.Bytes()
	var none paper.NoFontError
	if errors.As(err, &none) {
		return nil, apikit.Problem(409, "", "These slips cannot be printed: %s.", err)
	}
	return pdf, err
}

// slipsOf are the slips of an order: one for each purchase that stands, or one of all that is still to be bought.
func (s *Service) slipsOf(ctx context.Context, q database.Querier, orderID int64) ([]slip, error) {
	h, lines, err := read(ctx, q, orderID)
	if database.Missing(err) {
		return nil, apikit.NotFound("order")
	}
	if err != nil {
		return nil, err
	}
	to, err := s.shipTo(ctx, q, &h)
	if err != nil {
		return nil, err
	}
	base := slip{number: h.number, to: to}
	if err := q.QueryRow(ctx, `select t.name, o.placed_at from customer_order o join facts.store t on t.id = o.store_id
		where o.id = $1`, orderID).Scan(&base.shop, &base.placed); err != nil {
		return nil, err
	}
	if base.set, base.logo, err = s.slipSettings(ctx, q, h.storeID); err != nil {
		return nil, err
	}
	var slips []slip
	for _, l := range lines {
		purchase := l.purchaseID
		if l.purchase.Failed() || l.purchase == "" {
			purchase = 0
		}
		if !l.ours || purchase == 0 && l.leftOut {
			continue
		}
		at := slices.IndexFunc(slips, func(of slip) bool { return of.purchase == purchase })
		if at < 0 {
			at = len(slips)
			slips = append(slips, base)
			slips[at].purchase = purchase
		}
		slips[at].lines = append(slips[at].lines, slipLine{l.title, l.variant, l.quantity})
	}
	if len(slips) > 1 { // what is bought goes out; the rest follows when it is
		slips = slices.DeleteFunc(slips, func(of slip) bool { return of.purchase == 0 })
	}
	return slips, nil
}

// PackingSlips prints the slips of orders, in their order.
func (s *Service) PackingSlips(ctx context.Context, orderIDs []int64) ([]byte, error) {
	var slips []slip
	for _, id := range orderIDs {
		of, err := s.slipsOf(ctx, s.Pool, id)
		if err != nil {
			return nil, err
		}
		if len(of) > 0 && of[0].to.Name == "" && of[0].to.Line1 == "" {
			return nil, apikit.Problem(409, "", "Who bought order %s was erased: leave it out.", of[0].number)
		}
		slips = append(slips, of...)
	}
	if len(slips) == 0 {
		return nil, apikit.Problem(409, "", "Nothing of these orders goes out from a supplier.")
	}
	return printed(slips)
}

// slipFor prints the slip that goes to the supplier with a purchase.
func (s *Service) slipFor(ctx context.Context, orderID, purchaseID int64) ([]byte, error) {
	slips, err := s.slipsOf(ctx, s.Pool, orderID)
	at := slices.IndexFunc(slips, func(of slip) bool { return of.purchase == purchaseID })
	if err != nil || at < 0 {
		return nil, err
	}
	return printed(slips[at : at+1])
}

// pdf answers with a PDF.
func pdf(name string, content []byte, err error) (*huma.StreamResponse, error) {
	if err != nil {
		return nil, err
	}
	return download("application/pdf", name, func(h huma.Context) error {
		_, err := h.BodyWriter().Write(content)
		return err
	}), nil
}

// registerSlips adds the routes of packing slips.
func (s *Service) registerSlips(a *apikit.API) {
	apikit.Register(a, access.OrderHandler, http.MethodGet, "/api/orders/packing-slips", "packingSlips",
		"The packing slips of orders as one PDF: no price, no supplier",
		func(ctx context.Context, in *struct {
			IDs []int64 `query:"ids" required:"true" minItems:"1" maxItems:"500"`
		}) (*huma.StreamResponse, error) {
			content, err := s.PackingSlips(ctx, unique(in.IDs))
			return pdf("packing-slips.pdf", content, err)
		})
	apikit.Register(a, access.OrderHandler, http.MethodGet, "/api/stores/{id}/packing-slip", "getSlipSettings",
		"How a store's packing slips look", func(ctx context.Context, in *apikit.ByID) (*apikit.Body[SlipSettingsView],
			error) {
			return apikit.OK(s.SlipSettings(ctx, in.ID))
		})
	apikit.Register(a, access.Owner, http.MethodPatch, "/api/stores/{id}/packing-slip", "changeSlipSettings",
		"Say how a store's packing slips look", func(ctx context.Context, in *struct {
			apikit.ByID
			Body SlipChange
		}) (*apikit.Body[SlipSettingsView], error) {
			return apikit.OK(s.ChangeSlipSettings(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.Owner, http.MethodPut, "/api/stores/{id}/packing-slip/logo", "setSlipLogo",
		"Put a logo on a store's packing slips, or take it off", func(ctx context.Context, in *struct {
			apikit.ByID
			Body LogoInput
		}) (*apikit.Body[SlipSettingsView], error) {
			return apikit.OK(s.SetLogo(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.OrderHandler, http.MethodGet, "/api/stores/{id}/packing-slip/sample", "sampleSlip",
		"A packing slip of nobody's order", func(ctx context.Context, in *apikit.ByID) (*huma.StreamResponse, error) {
			content, err := s.sample(ctx, in.ID)
			return pdf("packing-slip-sample.pdf", content, err)
		})
}
