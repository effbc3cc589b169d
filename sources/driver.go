package sources

import (
	"context"
	"errors"
	"time"

	"plainpelican/connect/source"
	"plainpelican/connect/ubl"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// Kind is a kind of source.
type Kind string

// Capabilities are what can be done with the sources of a kind. Nothing outside of the drivers asks for a kind.
type Capabilities struct {
	Credentials    bool `json:"credentials" doc:"Is connected with a client id and secret"`
	Changes        bool `json:"changes" doc:"Says what has changed since the last import"`
	Fetches        bool `json:"fetches" doc:"Is read by itself, without an address of its own"`
	Files          bool `json:"files" doc:"Takes uploaded files"`
	Columns        bool `json:"columns" doc:"Has columns that say what its rows hold"`
	Terms          bool `json:"terms" doc:"Needs to be told its supplier's terms"`
	Pictures       bool `json:"pictures" doc:"Takes pictures in a zip"`
	AsksOffers     bool `json:"asks_offers" doc:"Can be asked about one offer"`
	OrderDocuments bool `json:"order_documents" doc:"May take orders as documents, at an address of its own"`
	// Impact is whether an import is checked for what it would withdraw and reprice.
	Impact bool `json:"impact" doc:"Its imports may need approval"`
}

// driver is what one kind of source does in its own way. To add a kind is to write one, and to name it in drivers.
type driver interface {
	capabilities() Capabilities
	// open opens what an import reads, where it was left.
	open(ctx context.Context, s *Service, in *activeImport) (feed, error)
	// stillSold asks whether an offer is sold, by its number. Where the source cannot be asked the answer is true
	// with an error that says why, as the beginning of a sentence.
	stillSold(ctx context.Context, s *Service, sourceID int64, number string) (bool, error)
	// buyer is where its offers are bought, or a problem where it takes no orders.
	buyer(ctx context.Context, s *Service, sourceID int64) (source.Buyer, error)
}

// The kinds of sources.
const (
	Marketplace       Kind = "marketplace"
	PriceList         Kind = "price list"
	CatalogueDocument Kind = "catalogue document"
	Pages             Kind = "pages"
)

var drivers = map[Kind]driver{
	Marketplace:       marketplaceDriver{},
	PriceList:         priceListDriver{},
	CatalogueDocument: documentDriver{},
	Pages:             pagesDriver{},
}

// can are the capabilities of a kind; none of one that is not known.
func (k Kind) can() (c Capabilities) {
	if d := drivers[k]; d != nil {
		c = d.capabilities()
	}
	return c
}

// kindsThat are the kinds with a capability, for a statement to choose by.
func kindsThat(has func(Capabilities) bool) []string {
	list := []string{}
	for kind, d := range drivers {
		if has(d.capabilities()) {
			list = append(list, string(kind))
		}
	}
	return list
}

// marketplaceDriver speaks with a marketplace: see connect/source.
type marketplaceDriver struct{}

func (marketplaceDriver) capabilities() Capabilities {
	return Capabilities{Credentials: true, Changes: true, AsksOffers: true, Impact: true}
}

func (marketplaceDriver) open(ctx context.Context, s *Service, in *activeImport) (feed, error) {
	session, _, _, err := s.Open(ctx, in.SourceID)
	if err != nil {
		return nil, err
	}
	since := ""
	if !in.Full {
		if err := s.Pool.QueryRow(ctx, `select as_of from source where id = $1`, in.SourceID).Scan(&since); err != nil {
			return nil, err
		}
	}
	return &marketFeed{session, in.cursor, since, map[string]bool{}}, nil
}

func (marketplaceDriver) stillSold(ctx context.Context, s *Service, sourceID int64, number string) (bool, error) {
	session, err := s.session(ctx, sourceID)
	if err != nil {
		return true, err
	}
	_, err = session.Offer(ctx, number)
	if errors.Is(err, source.ErrWithdrawn) {
		return false, nil
	}
	if err != nil {
		s.sessions.Delete(sourceID)
		//lint:ignore ST1005 the beginning of a sentence for a person
		return true, errors.New("Its source does not answer")
	}
	return true, nil
}

func (marketplaceDriver) buyer(ctx context.Context, s *Service, sourceID int64) (source.Buyer, error) {
	return s.Session(ctx, sourceID)
}

// takesNoOrders is for sources whose orders a person sends.
type takesNoOrders struct{}

func (takesNoOrders) buyer(context.Context, *Service, int64) (source.Buyer, error) {
	return nil, apikit.Problem(409, "", "This source takes no orders from here.")
}

// notAsked is for sources that cannot be asked about an offer: what their last import said stands.
type notAsked struct{}

func (notAsked) stillSold(context.Context, *Service, int64, string) (bool, error) { return true, nil }

// priceListDriver reads price lists: see connect/pricelist.
type priceListDriver struct {
	notAsked
	takesNoOrders
}

func (priceListDriver) capabilities() Capabilities {
	return Capabilities{Files: true, Columns: true, Terms: true, Pictures: true, Impact: true}
}

func (priceListDriver) open(ctx context.Context, s *Service, in *activeImport) (feed, error) {
	file, err := s.openFile(ctx, in)
	if err != nil {
		return nil, err
	}
	f, err := s.openList(ctx, file, in)
	if err != nil {
		_ = file.Close()
		return nil, err
	}
	_, err = s.Pool.Exec(ctx, `update import_run set columns = $2 where id = $1`, in.ID, f.reader.Names())
	return f, err
}

// documentDriver reads catalogue documents: see connect/ubl.
type documentDriver struct{ notAsked }

func (documentDriver) capabilities() Capabilities {
	return Capabilities{Files: true, Terms: true, Impact: true, OrderDocuments: true}
}

// buyer sends orders as UBL documents, to the address that was given for them.
func (documentDriver) buyer(ctx context.Context, s *Service, sourceID int64) (source.Buyer, error) {
	var address, name string
	err := s.Pool.QueryRow(ctx, `select order_address, name from source where id = $1 and state = 'connected'`,
		sourceID).Scan(&address, &name)
	if database.Missing(err) || err == nil && address == "" {
		return nil, apikit.Problem(409, "", "This source takes no orders from here.")
	}
	if err != nil {
		return nil, err
	}
	return &ubl.Orders{Client: s.Connector.Client, Address: address, Supplier: name, Now: time.Now}, nil
}

func (documentDriver) open(ctx context.Context, s *Service, in *activeImport) (feed, error) {
	file, err := s.openFile(ctx, in)
	if err != nil {
		return nil, err
	}
	return s.openDocument(file, in)
}

// pagesDriver reads single product pages: see connect/page.
type pagesDriver struct {
	notAsked
	takesNoOrders
}

func (pagesDriver) capabilities() Capabilities { return Capabilities{Fetches: true} }

func (pagesDriver) open(ctx context.Context, s *Service, in *activeImport) (feed, error) {
	return s.openPages(ctx, in)
}
