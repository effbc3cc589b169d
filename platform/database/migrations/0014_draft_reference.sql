-- +goose Up
-- By which stores know a draft: publishing asks them for it.
create or replace view facts.draft as select id, offer_id, title, reference from draft;

-- +goose Down
drop view facts.draft;
create view facts.draft as select id, offer_id, title from draft;
