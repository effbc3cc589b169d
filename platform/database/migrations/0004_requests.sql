-- +goose Up

-- Products that nobody carries: what is wanted, whom it was asked of, and what they quote.
alter table source add takes_requests boolean not null default false; -- it said so when it was last signed in to
create table request (
    id           bigint generated always as identity primary key,
    words        text not null,
    details      text not null,
    link         text not null,
    picture      text not null,           -- hash of a JPEG; empty is none
    target_cost  bigint not null,         -- of one unit, in minor units; 0 where nothing was said
    currency     text not null,
    market       text not null,           -- ISO 3166 alpha-2
    units        integer not null,        -- expected a month; 0 where nothing was said
    state        text not null default 'open' check (state in ('open', 'settled', 'withdrawn')),
    made_by      text not null,
    made_at      timestamptz not null default now()
);
create table request_source (
    request_id bigint not null references request on delete cascade,
    source_id  bigint not null references source,
    key        uuid not null default gen_random_uuid(), -- what the source knows it by
    state      text not null default 'waiting' check (state in ('waiting', 'asked', 'leaving', 'ended', 'refused')),
    trouble    text not null default '',
    unusable   text[] not null default '{}',            -- quotes that could not be read, and why
    failures   integer not null default 0,              -- in a row
    asked_at   timestamptz,                             -- when it was last heard of
    next_at    timestamptz default now(),               -- when it is asked again; null is never
    primary key (request_id, source_id)
);
create index request_source_due on request_source (next_at) where next_at is not null;
create table quote (
    id            bigint generated always as identity primary key,
    request_id    bigint not null,
    source_id     bigint not null,
    number        text not null,
    offer         bytea not null,         -- JSON, as the source gave it: docs/protocols/source.md
    comment       text not null,
    valid_through timestamptz not null,
    received_at   timestamptz not null default now(),
    taken_by      text not null default '',
    taken_at      timestamptz,
    offer_number  text not null default '', -- of the offer that it became
    foreign key (request_id, source_id) references request_source on delete cascade,
    unique (request_id, source_id, number)
);

-- Pictures that were sent in a zip beside a price list, by the names that the list calls them.
create table sent_picture (
    source_id bigint not null references source on delete cascade,
    name      text not null, -- of the file, in small letters, without folders
    hash      text not null,
    primary key (source_id, name)
);

-- The changes of the catalog, in the order in which they can be seen: every instance's index follows them.
create table catalog_change (
    seq       bigint generated always as identity primary key,
    at        timestamptz not null default now(),
    source_id bigint,                              -- all of whose offers may be others; null is none
    offers    bigint[] not null                    -- those that were added, changed or withdrawn
);
alter table catalog_change alter offers set storage external; -- read once, and soon

-- +goose Down
drop table catalog_change;
drop table sent_picture, quote, request_source, request;
alter table source drop column takes_requests;
