-- +goose Up
-- The index of every instance follows what changes of offers.
create view facts.catalog_change as select seq, source_id, offers, at from catalog_change;

-- +goose Down
drop view facts.catalog_change;
