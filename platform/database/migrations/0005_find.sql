-- +goose Up

-- The rows of each product stood together in the last list of this source: it is read once, not twice.
alter table source add rows_together boolean not null default false;

-- Room beside a row for its next price and stock, so that no index needs to know of them.
alter table offer set (fillfactor = 90);
alter table offer_variant set (fillfactor = 90);

-- What its sales say, judged when they came in: see core/demand. When an offer was first seen.
alter table offer
    add own_packing boolean not null default false,    -- the supplier packs with the seller's brand
    add demand      text not null default 'too little data',
    add growth      integer not null default 0,        -- tenths of a percent a month
    add first_seen  timestamptz not null default now();
update offer set first_seen = updated_at;
update offer set fingerprint = '' where cardinality(weekly) > 0; -- judged with the next whole intake
alter table staged_offer
    add own_packing boolean not null,
    add demand      text not null,
    add growth      integer not null;

-- The same product number at other suppliers, at fourteen digits as GS1 compares them; what a person
-- said of two offers, the lower id first.
create index offer_variant_gtin on offer_variant (lpad(barcode, 14, '0')) where barcode <> '';
create table said_alike (
    offer   bigint not null references offer on delete cascade,
    other   bigint not null references offer on delete cascade,
    same    boolean not null,
    said_by text not null,
    said_at timestamptz not null default now(),
    primary key (offer, other),
    check (offer < other)
);
create index said_alike_other on said_alike (other);

create index listing_offer on listing (offer_id);

-- Sentences kept under a name, for all who work here; the seller's own standard.
create table saved_sentence (
    id       bigint generated always as identity primary key,
    name     text not null,
    asked    text not null,            -- as it stands in the address
    saved_by text not null,
    saved_at timestamptz not null default now()
);
create unique index saved_sentence_name on saved_sentence (lower(name));
create table standard (
    one     boolean primary key default true check (one),
    days    smallint not null,         -- door to door at most; 0 is any
    tracked boolean not null,
    rating  smallint not null,         -- tenths at least; 0 is any
    on_time smallint not null          -- percent at least; 0 is any
);

-- +goose Down
drop table standard, saved_sentence, said_alike;
drop index offer_variant_gtin;
drop index listing_offer;
alter table staged_offer drop column own_packing, drop column demand, drop column growth;
alter table offer drop column own_packing, drop column demand, drop column growth, drop column first_seen;
alter table offer reset (fillfactor);
alter table offer_variant reset (fillfactor);
alter table source drop column rows_together;
