-- +goose Up
-- Each table belongs to one package, which alone writes it (application/ownership_test.go says which). What others may
-- read of it stands here, as a view of the same name.
create schema facts;
create view facts.source as select id, kind, name, state, takes_requests from source;
create view facts.category_mapping as select source_id, name, path from category_mapping;
create view facts.uploaded_picture as select source_id, name, hash from uploaded_picture;
create view facts.supplier as select id, source_id, number, name, country, rating, on_time, verified from supplier;
create view facts.offer as select id, source_id, supplier_id, number, title, description, category, brand, currency, page_url,
    pictures, option_names, processing_min, processing_max, rating, ratings, return_days, weekly, deliveries, rivals,
    market_currency, market_prices, own_packing, demand, growth, first_seen, remarks, withdrawn_at, updated_at from offer;
create view facts.offer_variant as select id, offer_id, number, position, option_values, cost, min_advertised, list_price,
    prices_in, stock, stock_unknown, picture, barcode, weight_grams, withdrawn from offer_variant;
create view facts.picture as select url, hash, hashes, edge_map, median_colour from picture;
create view facts.store as select id, address, handle, name, currency, time_zone, markets, limits, state from store;
create view facts.draft as select id, offer_id, title from draft;
create view facts.draft_variant as select id, draft_id, offer_variant_id, chosen from draft_variant;
create view facts.listing as select id, store_id, draft_id, offer_id from listing;
create view facts.price as select store_id, draft_id, draft_variant_id, price from price;
create view facts.quote_request as select id, picture from quote_request;

-- +goose Down
drop schema facts cascade;
