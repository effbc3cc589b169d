-- +goose Up

-- Sources of every kind, what they repeat, and what they may change unasked ---
alter table source drop constraint source_address_key;
create unique index source_address on source (address) where address <> '';
alter table source
    add kind           text not null default 'marketplace' check (kind in ('marketplace', 'price list', 'catalogue document', 'pages')),
    add paused         boolean not null default false,
    add repeats        text not null default '',       -- RFC 5545 RRULE; empty is by hand
    add zone           text not null default 'UTC',    -- IANA time zone that the rule is meant in
    add next_at        timestamptz,                    -- when the next intake is due
    add as_of          text not null default '',       -- the moment up to which a marketplace's changes are in
    add swept_at       timestamptz,                    -- when its whole catalog was last compared
    add most_withdrawn smallint not null default 20,   -- percent of its offers that may leave in one intake unasked
    add most_repriced  smallint not null default 50,   -- percent whose cost may change in one intake unasked
    add layout         jsonb;                          -- how a file is read: see connect/pricelist.Layout

alter table intake drop constraint intake_state_check;
alter table intake
    add constraint intake_state_check check (state in ('waiting', 'running', 'held', 'finished', 'failed', 'dropped')),
    add whole       boolean not null default true,     -- everything the source has, not only changes
    add phase       text not null default 'reading' check (phase in ('reading', 'weighing', 'putting')),
    add cursor      text not null default '',          -- where reading goes on
    add as_of       text not null default '',
    add staged      bigint not null default 0,         -- offers staged so far
    add put         bigint not null default 0,         -- of them on the shelf
    add gone        text[] not null default '{}',      -- numbers that the source says it no longer sells
    add seen_offers bytea,                             -- a roaring bitmap of the known offers that were seen
    add file        text not null default '',          -- the blob that is read
    add file_name   text not null default '',
    add columns     text[] not null default '{}',      -- the column names of the file
    add hold        jsonb,                             -- why it is held, with examples
    add straight    boolean not null default false,    -- its source had no offers: what is read goes on the shelf at once
    add allowed     boolean not null default false;    -- somebody said to go on all the same
alter table intake alter whole drop default;
create index intake_file on intake (file) where file <> '';

alter table set_aside add cells text[] not null default '{}'; -- the row, where it is one of a price list

-- What came of each link that was pasted.
create table link_result (
    intake_id bigint not null references intake on delete cascade,
    place     integer not null, -- the line, from 1
    link      text not null,
    number    text not null default '',   -- of the offer that was made of it
    known     bigint references offer,    -- or the offer of another source that it leads to
    title     text not null default '',
    found_in  text not null default '',   -- JSON-LD, microdata or Open Graph
    missing   text[] not null default '{}',
    trouble   text not null default '',
    primary key (intake_id, place)
);
create index offer_page on offer (page_url) where page_url <> '';

-- The seller's own categories, as paths such as "Kitchen > Camp kitchen", and which of them
-- the category names of each source belong to. A name that nothing was said of stands for itself.
create table category (path text primary key);
create table category_mapping (
    source_id bigint not null references source,
    name      text not null,
    path      text not null references category,
    said_by   text not null,
    primary key (source_id, name)
);
create index category_mapping_path on category_mapping (path);
-- +goose StatementBegin
create function own_category(source_id bigint, name text) returns text language sql stable as $$
    select coalesce((select m.path from category_mapping m where m.source_id = $1 and m.name = $2), $2)
$$;
-- +goose StatementEnd

-- A check for each of millions of rows costs as much as writing them. The shelf alone writes
-- these tables, offers are never deleted, and it puts each variant in with its offer.
alter table offer drop constraint offer_source_id_fkey, drop constraint offer_supplier_id_fkey;
alter table offer_variant drop constraint offer_variant_offer_id_fkey;

-- What an intake has read and not yet put on the shelf lies in unlogged tables of its own,
-- made like these and dropped at its end.
create table staged_offer (
    place           bigint not null, -- order in the feed, from 1
    offer_id        bigint not null,
    fresh           boolean not null, -- not on the shelf before
    supplier        text not null,
    supplier_name   text not null,
    country         text not null,
    supplier_rating smallint not null,
    on_time         smallint not null,
    verified        boolean not null,
    number          text not null,
    title           text not null,
    description     text not null,
    category        text not null,
    brand           text not null,
    currency        text not null,
    page_url        text not null,
    pictures        text[] not null,
    option_names    text[] not null,
    processing_min  smallint not null,
    processing_max  smallint not null,
    rating          smallint not null,
    ratings         integer not null,
    return_days     smallint not null,
    weekly          integer[] not null,
    deliveries      jsonb not null,
    rivals          integer not null,
    market_currency text not null,
    market_prices   bigint[] not null,
    fingerprint     bytea not null
);
create index on staged_offer (place);
create table staged_variant (
    place          bigint not null,
    offer_id       bigint not null,
    fresh          boolean not null,
    number         text not null,
    position       integer not null,
    option_values  text[] not null,
    cost           bigint not null,
    min_advertised bigint not null,
    list_price     bigint not null,
    stock          integer not null,
    picture        integer not null,
    barcode        text not null,
    weight_grams   integer not null
);
create index on staged_variant (place);

-- +goose Down
drop function own_category;
drop index offer_page;
drop table category_mapping, category, link_result, staged_variant, staged_offer;
alter table offer add foreign key (source_id) references source, add foreign key (supplier_id) references supplier;
alter table offer_variant add foreign key (offer_id) references offer on delete cascade;
alter table set_aside drop column cells;
alter table intake drop column whole, drop column phase, drop column cursor, drop column as_of, drop column staged, drop column put, drop column gone, drop column seen_offers, drop column file, drop column file_name, drop column columns,
    drop column hold, drop column straight, drop column allowed, drop constraint intake_state_check, add constraint intake_state_check check (state in ('waiting', 'running', 'finished', 'failed'));
drop index source_address;
alter table source drop column kind, drop column paused, drop column repeats, drop column zone, drop column next_at, drop column as_of, drop column swept_at, drop column most_withdrawn,
    drop column most_repriced, drop column layout;
alter table source add constraint source_address_key unique (address);
