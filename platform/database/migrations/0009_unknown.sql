-- +goose Up
-- What a source does not say is not known: null, never 0.
alter table supplier alter column on_time drop not null;
update supplier set on_time = null where on_time = 0;
alter table offer alter column rivals drop not null, alter column rivals drop default, alter column return_days drop not null;
update offer set rivals = nullif(rivals, 0), return_days = nullif(return_days, 0) where rivals = 0 or return_days = 0;
alter table offer_variant add stock_unknown boolean not null default false;
update offer_variant v set stock_unknown = true from offer o where o.id = v.offer_id and v.stock = 0 and exists (select from unnest(o.remarks) r where r like '%; 0 is taken.');
alter table staged_offer alter column on_time drop not null, alter column rivals drop not null, alter column return_days drop not null;
alter table staged_variant add stock_unknown boolean not null default false;

update offer set fingerprint = '' where cardinality(weekly) > 0; -- sales are judged otherwise: with the next whole import

-- Offers by their first picture, which many may share.
create index offer_first_picture on offer (hashtextextended(pictures[1], 0)) where withdrawn_at is null;

-- Words that mean the same to the seller: each row is a group of them.
create table synonym (
    position integer primary key,
    words    text[] not null
);

-- +goose Down
drop table synonym;
drop index offer_first_picture;
alter table staged_variant drop column stock_unknown;
alter table offer_variant drop column stock_unknown;
update supplier set on_time = 0 where on_time is null;
alter table supplier alter column on_time set not null;
update offer set rivals = coalesce(rivals, 0), return_days = coalesce(return_days, 0) where rivals is null or return_days is null;
alter table offer alter column rivals set not null, alter column rivals set default 0, alter column return_days set not null;
delete from staged_offer where on_time is null or rivals is null or return_days is null;
alter table staged_offer alter column on_time set not null, alter column rivals set not null, alter column return_days set not null;
