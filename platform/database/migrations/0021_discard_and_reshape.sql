-- +goose Up
-- A draft that is discarded can be brought back for thirty days; a variant that was dropped, for as long as its draft is
-- there. Both are out of sight until then.
alter table draft add column discarded_at timestamptz;
alter table draft_variant
    add column dropped boolean not null default false,
    add column number  integer not null default 0; -- by which its SKU is made; it stays where the order changes
update draft_variant set number = position;
alter table draft_variant alter number drop default;
create index draft_discarded on draft (discarded_at) where discarded_at is not null;
create view facts.draft_ever as select id, offer_id, title from draft;
create or replace view facts.draft as select id, offer_id, title, reference from draft where discarded_at is null;
create or replace view facts.draft_variant as select id, draft_id, offer_variant_id, chosen from draft_variant
    where not dropped;

-- +goose Down
delete from draft where discarded_at is not null;
delete from draft_variant where dropped;
create or replace view facts.draft as select id, offer_id, title, reference from draft;
create or replace view facts.draft_variant as select id, draft_id, offer_variant_id, chosen from draft_variant;
drop view facts.draft_ever;
alter table draft drop column discarded_at;
alter table draft_variant drop column dropped, drop column number;
