-- +goose Up

-- Members -------------------------------------------------------------------
create table member (
    id            bigint generated always as identity primary key,
    email         text not null,
    name          text not null,
    role          text not null check (role in ('owner', 'editor', 'fulfiller')),
    password_hash text not null,
    created_at    timestamptz not null default now()
);
create unique index member_email on member (lower(email));

create table sessions (
    token  text primary key,
    data   bytea not null,
    expiry timestamptz not null
);
create index sessions_expiry on sessions (expiry);

create table api_token (
    id           bigint generated always as identity primary key,
    member_id    bigint not null references member on delete cascade,
    name         text not null,
    role         text not null check (role in ('owner', 'editor', 'fulfiller')),
    hash         bytea not null unique,
    created_at   timestamptz not null default now(),
    last_used_at timestamptz
);

create table audit_entry (
    id          bigint generated always as identity primary key,
    at          timestamptz not null default now(),
    member_id   bigint references member on delete set null,
    member_name text not null,
    act         text not null,
    subject     text not null,
    before      jsonb,
    after       jsonb
);

-- Sources and the catalog ---------------------------------------------------
create table source (
    id                  bigint generated always as identity primary key,
    name                text not null,
    address             text not null unique,
    client_id           text not null,
    secret              bytea,
    state               text not null check (state in ('connected', 'disconnected')),
    requests_per_second integer not null,
    trouble             text not null default '',
    connected_at        timestamptz not null default now()
);

create table intake (
    id          bigint generated always as identity primary key,
    source_id   bigint not null references source,
    state       text not null check (state in ('waiting', 'running', 'finished', 'failed')),
    started_at  timestamptz not null default now(),
    finished_at timestamptz,
    expected    integer not null default 0,
    seen        integer not null default 0,
    added       integer not null default 0,
    changed     integer not null default 0,
    unchanged   integer not null default 0,
    withdrawn   integer not null default 0,
    set_aside   integer not null default 0,
    trouble     text not null default ''
);
create index intake_source on intake (source_id, id desc);
-- One at a time for each source.
create unique index intake_alone on intake (source_id) where state in ('waiting', 'running');

create table set_aside (
    id        bigint generated always as identity primary key,
    intake_id bigint not null references intake on delete cascade,
    place     text not null,
    reason    text not null,
    content   text not null
);

create table supplier (
    id        bigint generated always as identity primary key,
    source_id bigint not null references source,
    number    text not null,
    name      text not null,
    country   text not null,
    rating    smallint not null,  -- tenths
    on_time   smallint not null,  -- percent
    verified  boolean not null,
    unique (source_id, number)
);

create table offer (
    id             bigint generated always as identity primary key,
    source_id      bigint not null references source,
    supplier_id    bigint not null references supplier,
    number         text not null,
    title          text not null,
    description    text not null,
    category       text not null,
    brand          text not null,
    currency       text not null,
    page_url       text not null,
    pictures       text[] not null,
    option_names   text[] not null,
    processing_min smallint not null,
    processing_max smallint not null,
    rating         smallint not null, -- tenths
    ratings        integer not null,
    return_days    smallint not null,
    weekly         integer[] not null, -- units sold, oldest week first
    deliveries     jsonb not null,
    fingerprint    bytea not null,     -- SHA-256 of the offer as the source gave it
    withdrawn_at   timestamptz,
    updated_at     timestamptz not null default now(),
    unique (source_id, number)
);

create table offer_variant (
    id            bigint generated always as identity primary key,
    offer_id      bigint not null references offer on delete cascade,
    number        text not null,
    position      integer not null,
    option_values text[] not null,
    cost          bigint not null, -- minor units of the offer's currency
    stock         integer not null,
    picture       integer not null, -- place in the offer's pictures
    barcode       text not null,
    weight_grams  integer not null,
    withdrawn     boolean not null default false,
    unique (offer_id, number)
);

create table picture (
    url        text primary key,
    hash       text not null default '', -- SHA-256 of the blob
    width      integer not null default 0,
    height     integer not null default 0,
    trouble    text not null default '',
    fetched_at timestamptz not null default now()
);

-- Stores and their money rules ----------------------------------------------
create table store (
    id                  bigint generated always as identity primary key,
    address             text not null unique,
    handle              text not null,
    name                text not null,
    currency            text not null,
    time_zone           text not null,
    markets             text[] not null, -- the first is the one that prices assume
    limits              jsonb not null,
    requests_per_second integer not null,
    api                 text not null,
    revocation          text not null default '',
    token               bytea,
    state               text not null check (state in ('connected', 'disconnected')),
    promise_days        integer not null default 16,
    terms               jsonb not null,
    connected_at        timestamptz not null default now()
);

create table store_approval (
    state      text primary key,
    member_id  bigint not null references member on delete cascade,
    address    text not null,
    endpoints  jsonb not null,
    verifier   bytea not null,
    created_at timestamptz not null default now()
);

create table markup_rules (
    store_id   bigint primary key references store,
    rules      jsonb not null,
    revision   integer not null default 1,
    updated_at timestamptz not null default now(),
    updated_by text not null
);

create table rate_day (
    day        date primary key,
    base       text not null,
    rates      jsonb not null, -- currency to decimal text, units per 1 base
    fetched_at timestamptz not null default now()
);

-- The workbench -------------------------------------------------------------
create table draft (
    id          bigint generated always as identity primary key,
    offer_id    bigint not null references offer,
    title       text not null,
    description text not null,
    pictures    jsonb not null, -- [{"place": 0, "shown": true}], in order; place is in the offer's pictures
    options     jsonb not null,
    reference   uuid not null unique default gen_random_uuid(), -- by which stores know it
    revision    integer not null default 1,
    taken_by    text not null,
    created_at  timestamptz not null default now(),
    updated_at  timestamptz not null default now()
);
create index draft_offer on draft (offer_id);

create table draft_variant (
    id               bigint generated always as identity primary key,
    draft_id         bigint not null references draft on delete cascade,
    offer_variant_id bigint not null references offer_variant,
    position         integer not null,
    value_places     integer[] not null,
    chosen           boolean not null default true,
    unique (draft_id, offer_variant_id)
);

create table typed_price (
    draft_variant_id bigint not null references draft_variant on delete cascade,
    store_id         bigint not null references store,
    price            bigint not null, -- minor units of the store's currency
    typed_by         text not null,
    typed_at         timestamptz not null default now(),
    primary key (draft_variant_id, store_id)
);

create table draft_edit (
    id       bigint generated always as identity primary key,
    draft_id bigint not null references draft on delete cascade,
    at       timestamptz not null default now(),
    member   text not null,
    what     text not null,
    before   jsonb not null
);
create index draft_edit_draft on draft_edit (draft_id, id desc);

-- Publishing ----------------------------------------------------------------
create table publish_run (
    id          bigint generated always as identity primary key,
    store_id    bigint not null references store,
    visible     boolean not null,
    sell_empty  boolean not null,
    started_by  text not null,
    started_at  timestamptz not null default now(),
    finished_at timestamptz
);

create table publish_item (
    id         bigint generated always as identity primary key,
    run_id     bigint not null references publish_run on delete cascade,
    draft_id   bigint not null references draft on delete cascade,
    state      text not null check (state in ('waiting', 'sending', 'published', 'failed')),
    reason     text not null default '',
    area       text not null default '', -- the part of the draft at fault
    attempt    integer not null default 1, -- a retry by a person is a new attempt, with a new key
    tries      integer not null default 0, -- how often this attempt met a store that did not answer
    updated_at timestamptz not null default now(),
    unique (run_id, draft_id)
);

create table listing (
    id           bigint generated always as identity primary key,
    store_id     bigint not null references store,
    draft_id     bigint not null references draft,
    offer_id     bigint not null references offer,
    product_id   text not null,
    url          text not null,
    title        text not null,
    sent         jsonb not null,
    visible      boolean not null,
    published_at timestamptz not null default now(),
    updated_at   timestamptz not null default now(),
    unique (store_id, draft_id),
    unique (store_id, product_id)
);

-- Progress ------------------------------------------------------------------
create table progress_event (
    seq   bigint generated always as identity primary key,
    topic text not null,
    at    timestamptz not null default now(),
    data  jsonb not null
);

-- +goose Down
drop table progress_event, listing, publish_item, publish_run, draft_edit, typed_price, draft_variant, draft, rate_day, markup_rules,
    store_approval, store, picture, offer_variant, offer, supplier, set_aside, intake, source, audit_entry, api_token, sessions, member;
