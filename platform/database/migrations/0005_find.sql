-- +goose Up

-- The rows of each product stood together in the last list of this source: it is read once, not twice.
alter table source add rows_together boolean not null default false;

-- Room beside a row for its next price and stock, so that no index needs to know of them.
alter table offer set (fillfactor = 90);
alter table offer_variant set (fillfactor = 90);

-- +goose Down
alter table offer reset (fillfactor);
alter table offer_variant reset (fillfactor);
alter table source drop column rows_together;
