-- +goose Up
-- A variant may be bought from another offer than its draft's own: several suppliers in one product.
alter table draft_variant add column other_offer_id bigint references offer;
create index draft_variant_other_offer on draft_variant (other_offer_id) where other_offer_id is not null;
create index draft_variant_elsewhere on draft_variant (draft_id) where other_offer_id is not null;
create or replace view facts.draft_variant as
    select id, draft_id, offer_variant_id, chosen, other_offer_id from draft_variant where not dropped;
-- The offers that drafts are bought from, their own first.
create view facts.draft_offer as
    select id as draft_id, offer_id, true as own from draft where discarded_at is null
    union all
    select distinct v.draft_id, v.other_offer_id, false from draft_variant v join draft d on d.id = v.draft_id
    where v.other_offer_id is not null and not v.dropped and d.discarded_at is null;

-- +goose Down
drop view facts.draft_offer;
delete from draft_variant where other_offer_id is not null;
drop view facts.draft_variant;
create view facts.draft_variant as select id, draft_id, offer_variant_id, chosen from draft_variant where not dropped;
alter table draft_variant drop column other_offer_id;
