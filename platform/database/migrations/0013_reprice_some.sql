-- +goose Up
-- A repricing after offers have changed is of the drafts of those offers.
alter table reprice_run add only_drafts bigint[]; -- in order; null is all

-- +goose Down
alter table reprice_run drop column only_drafts;
