package database_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"plainpelican/platform/database"
	"plainpelican/testkit"
)

// data is what a database of each version may hold, added when the schema has just reached it.
var data = map[int64]string{
	1: `
		insert into member (email, name, role, password_hash) values ('o@example.com', 'Olga', 'owner', 'x');
		insert into api_token (member_id, name, role, hash) values (1, 'nightly', 'editor', '\x01');
		insert into source (name, address, client_id, state, requests_per_second)
		values ('Bazaar', 'https://bazaar.example', 'id', 'connected', 10);
		insert into intake (source_id, state, trouble) values (1, 'finished', ''), (1, 'running', '');
		insert into supplier (source_id, number, name, country, rating, on_time, verified)
		values (1, 's', 'Seller', 'CN', 45, 90, true);
		insert into offer (source_id, supplier_id, number, title, description, category, brand, currency, page_url,
		pictures, option_names, processing_min, processing_max, rating, ratings, return_days, weekly, deliveries,
		fingerprint)
			values (1, 1, 'A-1', 'Mug', '', 'Mugs', '', 'USD', '', '{}', '{}', 1, 2, 45, 3, 30, '{}', '[]', '\x00');
		insert into offer_variant (offer_id, number, position, option_values, cost, stock, picture, barcode,
		weight_grams) values (1, 'A-1-1', 0, '{}', 250, 999999999, 0, '', 300);
		insert into store (address, handle, name, currency, time_zone, markets, limits, requests_per_second, api, token,
		state, terms)
			values ('https://store.example', 'h', 'Saltmarsh', 'USD', 'UTC', '{US}', '{}', 10, '/api', '\x02',
			'connected',
			'{"payment_percent":"0.03","payment_fixed":{"value":"0.30","currency":"USD"},"returns":"0","tax":"0"}');
		insert into store_approval (state, member_id, address, endpoints, verifier)
		values ('s', 1, 'https://store.example', '{}', '\x03');
		insert into markup_rules (store_id, rules, updated_by)
		values (1,
		'[{"formula":{"kind":"multiple","ratio":"2"},"least_profit":{"value":"1.00","currency":"USD"},"ending":".99"}]',
		'Olga');
		insert into draft (offer_id, title, description, pictures, options, taken_by)
		values (1, 'My mug', '<p>x</p>', '[]', '[]', 'Olga'), (1, 'Another', '', '[]', '[]', 'Olga');
		insert into draft_variant (draft_id, offer_variant_id, position, value_places) values (1, 1, 0, '{}');
		insert into typed_price (draft_variant_id, store_id, price, typed_by) values (1, 1, 1999, 'Olga');
		insert into draft_edit (draft_id, member, what, before) values (1, 'Olga', 'title', '{}');
		insert into publish_run (store_id, visible, sell_empty, started_by)
		values (1, true, false, 'Olga'), (1, true, false, 'Ed');
		insert into publish_item (run_id, draft_id, state)
		values (1, 1, 'waiting'), (2, 1, 'sending'), (1, 2, 'published');
		insert into listing (store_id, draft_id, offer_id, product_id, url, title, sent, visible)
		values (1, 2, 1, '7001', 'https://store.example/p', 'Another', '{}', true);`,
	2: `insert into price_hold (store_id, draft_id, revision, since) values (1, 1, 1, 2);
		insert into reprice_run (store_id, why, full_way, state, started_by)
		values (1, 'rates', true, 'finished', 'Olga');
		insert into listing_price (listing_id, draft_variant_id, price) values (1, 1, 1999);`,
	3: `insert into source (name, address, client_id, state, requests_per_second, kind)
		values ('List', '', '', 'connected', 1, 'price list');
		insert into category (path) values ('Kitchen'); insert into category_mapping (source_id, name, path, said_by)
		values (1, 'Mugs', 'Kitchen', 'Olga');`,
	4: `insert into sent_picture (source_id, name, hash) values (2, 'a.jpg', 'x');`,
	9: `insert into intake (source_id, state, phase, whole, hold, gone)
			values (1, 'held', 'weighing', true, '{"reason": "r", "kind": "shares", "from": "USD", "into": "EUR"}',
			'{A-7}');
		insert into saved_sentence (name, asked, saved_by) values ('Lamps', 'q=lamp', 'Olga');`,
}

// A database of any earlier version, with data in it, becomes one of this version and loses nothing.
func TestEveryEarlierStateMigratesWithItsData(t *testing.T) {
	for from := int64(1); from < database.Newest(); from++ {
		t.Run(fmt.Sprintf("from %d", from), func(t *testing.T) {
			pool := testkit.EmptyDatabase(t)
			for at := int64(1); at <= from; at++ {
				if err := database.MigrateTo(t.Context(), pool, at); err != nil {
					t.Fatal(err)
				}
				if _, err := pool.Exec(t.Context(), data[at]); err != nil {
					t.Fatalf("the data of %d: %v", at, err)
				}
			}
			for range 2 { // and once more, which changes nothing
				if err := database.Migrate(t.Context(), pool); err != nil {
					t.Fatal(err)
				}
			}
			for table, want := range map[string]int{"member": 1, "api_token": 1, "offer": 1, "offer_variant": 1,
				"draft": 2, "draft_variant": 1, "manual_price": 1, "publish_item": 3, "listing": 1, "money_rules": 1} {
				var n int
				if err := pool.QueryRow(t.Context(), `select count(*) from `+table).Scan(&n); err != nil || n != want {
					t.Errorf("%d rows of %s, not %d: %v", n, table, want, err)
				}
			}
			var open int
			if err := pool.QueryRow(t.Context(), `select count(*) from publish_item
				where state in ('waiting', 'sending')`).Scan(&open); err != nil || open != 1 {
				t.Errorf("a draft is open in %d runs: %v", open, err)
			}
			var rates string
			if err := pool.QueryRow(t.Context(), `select rules ->> 'rates'
				from money_rules`).Scan(&rates); err != nil || rates != `{"manual": [], "max_age_days": 4}` {
				t.Errorf("the rates of money rules are %s: %v", rates, err)
			}
			if from < 9 {
				return
			}
			var state, phase, currencies, sentence string
			err := pool.QueryRow(t.Context(), `select state, phase,
				(approval ->> 'from_currency') || (approval ->> 'to_currency') || withdrawn_numbers[1],
				(select sentence from saved_search) from import_run where approval is not null`).
				Scan(&state, &phase, &currencies, &sentence)
			if got := state + " " + phase + " " + currencies + " " + sentence; err != nil ||
				got != "needs_approval checking USDEURA-7 q=lamp" {
				t.Errorf("an import that waits for approval became %q: %v", got, err)
			}
		})
	}
}

func TestANewerSchemaIsRefused(t *testing.T) {
	pool := testkit.Database(t)
	if _, err := pool.Exec(t.Context(), `insert into goose_db_version (version_id, is_applied)
		values ($1, true)`, database.Newest()+1); err != nil {
		t.Fatal(err)
	}
	if err := database.Migrate(t.Context(), pool); !errors.Is(err, database.ErrNewerSchema) ||
		!strings.Contains(err.Error(), "newer version") {
		t.Errorf("%v", err)
	}
}
