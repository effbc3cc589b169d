package workbench

import (
	"strings"

	"plainpelican/core/edit"
	"plainpelican/core/money"
	"plainpelican/core/variant"
	"plainpelican/platform/apikit"
	"plainpelican/platform/safehtml"
)

// EditInput changes parts of a draft; what is absent stays as it is.
type EditInput struct {
	// Base is, for each field that the edit touches, the revision of the draft at which the field was changed last as
	// the person saw it; 0 is never. A field that is not in it is written whatever stands there.
	Base        map[edit.Field]int `json:"base,omitempty" doc:"Field to the revision that was read"`
	Title       *string            `json:"title,omitempty" maxLength:"500"`
	Description *string            `json:"description,omitempty" maxLength:"100000"`
	// RemoveContacts takes the supplier's mail addresses, telephone numbers and links out of the description.
	RemoveContacts bool                  `json:"remove_contacts,omitempty"`
	Pictures       *[]edit.PictureChoice `json:"pictures,omitempty" maxItems:"1000"`
	Options        *[]variant.Option     `json:"options,omitempty" doc:"The same options and values, renamed"`
	Chosen         *[]int64              `json:"chosen,omitempty" doc:"Draft variants to sell"`
	Prices         *[]PriceOverride      `json:"prices,omitempty"`
	Collections    *[]string             `json:"collections,omitempty" maxItems:"100"`
	Tags           *[]string             `json:"tags,omitempty" maxItems:"250"`
	Type           *string               `json:"type,omitempty" maxLength:"100"`
	Vendor         *string               `json:"vendor,omitempty" maxLength:"100" doc:"Empty is the shop itself"`
	SearchTitle    *string               `json:"search_title,omitempty" maxLength:"500"`
	// SearchDescription and SearchTitle are what search engines should show.
	SearchDescription *string `json:"search_description,omitempty" maxLength:"2000"`
	// Delivery is the service that prices assume, by its supplier's name for it; empty is as the money rules say.
	Delivery *string `json:"delivery,omitempty" maxLength:"200"`
	Reserve  *int    `json:"reserve,omitempty" doc:"Units of each variant that stores do not show"`
	Tray     *int64  `json:"tray,omitempty" doc:"0 is none"`
	// BringBack takes a draft out of those that were discarded.
	BringBack bool `json:"bring_back,omitempty"`
	// OwnTitle and OwnDescription are for the store in use alone; empty ones are those that all stores share.
	OwnTitle       *string              `json:"own_title,omitempty" maxLength:"500"`
	OwnDescription *string              `json:"own_description,omitempty" maxLength:"100000"`
	Codes          *[]edit.VariantCodes `json:"codes,omitempty" maxItems:"2000"`
	// Restore brings fields back to what the supplier says.
	Restore []edit.Field `json:"restore,omitempty" enum:"title,description,pictures,options"`
}

// PriceOverride sets a manual price for one variant in the store in use, or gives it back to the rules.
type PriceOverride struct {
	VariantID int64  `json:"variant_id"`
	Price     string `json:"price" doc:"Decimal text; empty is the rule's price" maxLength:"30"`
}

// operations are what an edit does, in the order in which they are applied.
func (e *EditInput) operations(storeID int64, c money.Currency) ([]edit.Operation, error) {
	var list []edit.Operation
	if e.Title != nil {
		list = append(list, edit.SetTitle{Title: *e.Title})
	}
	if e.Description != nil {
		list = append(list, edit.SetDescription{Description: safehtml.CleanLinked(*e.Description)})
	}
	if e.RemoveContacts {
		list = append(list, edit.RemoveContacts{})
	}
	if e.Pictures != nil {
		list = append(list, edit.ArrangePictures{Pictures: *e.Pictures})
	}
	if e.Options != nil {
		list = append(list, edit.RenameOptions{Options: *e.Options})
	}
	if e.Chosen != nil {
		list = append(list, edit.ChooseVariants{Chosen: *e.Chosen})
	}
	if e.Collections != nil {
		list = append(list, edit.SetCollections{Collections: *e.Collections})
	}
	if e.Tags != nil {
		list = append(list, edit.SetTags{Tags: *e.Tags})
	}
	for _, t := range []struct {
		field edit.Field
		text  *string
	}{{edit.Type, e.Type}, {edit.Vendor, e.Vendor}, {edit.SearchTitle, e.SearchTitle},
		{edit.SearchDescription, e.SearchDescription}, {edit.Delivery, e.Delivery}} {
		if t.text != nil {
			list = append(list, edit.SetText{Field: t.field, Text: *t.text})
		}
	}
	if e.Reserve != nil {
		list = append(list, edit.SetReserve{Reserve: *e.Reserve})
	}
	if e.Tray != nil {
		list = append(list, edit.SetTray{TrayID: *e.Tray})
	}
	if (e.OwnTitle != nil || e.OwnDescription != nil) && storeID == 0 {
		return nil, apikit.Problem(422, "own_title", "Connect a store before you write words for it alone.")
	}
	if e.OwnTitle != nil {
		list = append(list, edit.SetOwnWords{StoreID: storeID, Part: edit.Title, Text: *e.OwnTitle})
	}
	if e.OwnDescription != nil {
		list = append(list, edit.SetOwnWords{StoreID: storeID, Part: edit.Description,
			Text: safehtml.CleanLinked(*e.OwnDescription)})
	}
	if e.BringBack {
		list = append(list, edit.SetDiscarded{})
	}
	if e.Codes != nil {
		list = append(list, edit.SetCodes{Codes: *e.Codes})
	}
	if e.Prices != nil {
		prices, err := manualPrices(*e.Prices, storeID, c)
		if err != nil {
			return nil, err
		}
		list = append(list, prices)
	}
	return list, nil
}

// manualPrices reads prices as people write them, in a store's currency.
func manualPrices(overrides []PriceOverride, storeID int64, c money.Currency) (edit.SetPrices, error) {
	op := edit.SetPrices{StoreID: storeID}
	if storeID == 0 {
		return op, apikit.Problem(422, "prices", "Connect a store before you set prices.")
	}
	for _, p := range overrides {
		if strings.TrimSpace(p.Price) == "" {
			op.Prices = append(op.Prices, edit.VariantPrice{VariantID: p.VariantID})
			continue
		}
		amount, err := money.Parse(p.Price, c)
		if err != nil {
			example := money.New(19*c.Unit()+99%c.Unit(), c).Decimal()
			return op,
				apikit.Problem(422, "prices", "“%s” is not a price in %s; write one such as %s.", p.Price, c, example)
		}
		if amount.Minor() <= 0 {
			return op, apikit.Problem(422, "prices", "A price must be more than 0.")
		}
		op.Prices = append(op.Prices, edit.VariantPrice{VariantID: p.VariantID, Price: amount.Minor()})
	}
	return op, nil
}
