-- +goose Up
-- An order of a customer as a store told of it. Who bought and where it goes is sealed; ship_to is the address as a person
-- corrected it, beside the customer's own. Amounts are minor units of its currency, which is the store's.
create table customer_order (
    id             bigint generated always as identity primary key,
    store_id       bigint not null references store,
    store_order    text not null, -- the store's own id for it
    number         text not null,
    state          text not null check (state in ('problem', 'to_buy', 'to_send', 'to_pay', 'buying', 'bought', 'shipped', 'delivered',
                       'cancelled', 'not_ours')),
    placed_at      timestamptz not null,
    updated_at     timestamptz not null, -- as the store has it
    cancelled      boolean not null default false,
    earlier        boolean not null default false, -- placed before the store was connected
    currency       text not null,
    shipping       bigint not null,
    total          bigint not null,
    customer       bytea not null,
    ship_to        bytea,
    address_faults integer not null default 0, -- that nobody accepted
    address_accepted_by text not null default '',
    country        text not null,
    words          text not null, -- what it is found by: number, titles and SKUs, in small letters
    cost           bigint,        -- what it costs landed: bought, or at what it costs now; null where that is not known
    profit         bigint,
    cost_error     text not null default '',
    estimated_at   timestamptz not null default '-infinity', -- when cost and profit were worked out last
    promise_days   integer not null default 0,
    news_at        timestamptz not null default now(), -- when something last happened to it
    note           text not null default '',
    archived_at    timestamptz,
    erased_at      timestamptz, -- who bought was erased; the sums stay
    unique (store_id, store_order)
);
create index customer_order_newest on customer_order (placed_at desc, id desc) where archived_at is null;
create index customer_order_estimate on customer_order (estimated_at) where state in ('problem', 'to_buy');
create index customer_order_state on customer_order (state, placed_at desc, id desc) where archived_at is null;

create table purchase (
    id          bigint generated always as identity primary key,
    order_id    bigint not null references customer_order on delete cascade,
    source_id   bigint not null references source,
    supplier_id bigint not null references supplier,
    key         uuid not null unique default gen_random_uuid(), -- under which the source makes one purchase of it
    fence       integer not null default 0,                     -- whoever sends it after us has a higher one
    state       text not null default 'waiting' check (state in ('to_send', 'waiting', 'sending', 'unknown', 'refused', 'placed', 'paid',
                    'shipped', 'delivered', 'cancelled')),
    by_sheet    boolean not null default false, -- its source takes no orders: a person sends an order sheet
    number      text not null default '', -- the supplier's
    service     text not null,            -- the delivery that was chosen, by name
    currency    text not null,            -- the supplier's
    expected    bigint not null,          -- minor units of it, as it was seen when it was bought
    total       bigint,                   -- as the supplier says
    charges     bigint not null default 0, -- import charges, in the store's currency
    cost        bigint,                   -- total and charges in the store's currency, at the rate that is kept
    rate        text not null default '',
    reason      text not null default '',
    comment     text not null default '',
    created_at  timestamptz not null default now(),
    created_by  text not null,
    placed_at   timestamptz,
    paying      boolean not null default false,
    paid_at     timestamptz,
    paid_by     text not null default '',
    pay_reason  text not null default '',
    tries       integer not null default 0,
    next_at     timestamptz -- when the source is asked about it again
);
create index purchase_due on purchase (next_at) where next_at is not null;
create index purchase_order on purchase (order_id);

create table order_line (
    id               bigint generated always as identity primary key,
    order_id         bigint not null references customer_order on delete cascade,
    store_line       text not null,
    position         integer not null,
    product_id       text not null,
    variant_id       text not null,
    sku              text not null,
    title            text not null,
    variant          text not null,
    quantity         integer not null,
    price            bigint not null, -- of one
    draft_variant_id bigint,          -- what was sold; null is not ours
    purchase_id      bigint references purchase, -- the one it is in, or was last
    unique (order_id, store_line)
);
create index order_line_purchase on order_line (purchase_id);

create table purchase_line (
    purchase_id      bigint not null references purchase on delete cascade,
    order_line_id    bigint not null references order_line on delete cascade,
    offer_id         bigint not null,
    offer_variant_id bigint not null,
    offer_number     text not null,
    variant_number   text not null,
    quantity         integer not null,
    primary key (purchase_id, order_line_id)
);

-- A parcel that a supplier told of, and whether the store was.
create table parcel (
    id          bigint generated always as identity primary key,
    purchase_id bigint not null references purchase on delete cascade,
    name        text not null, -- the source's own for it
    number      text not null,
    carrier     text not null,
    url         text not null,
    lines       jsonb not null default '[]', -- which variants are in it, by the supplier's numbers; none is all
    delivered   boolean not null default false,
    seen_at     timestamptz not null default now(),
    key         uuid not null default gen_random_uuid(), -- under which the store makes one fulfilment of it
    told_at     timestamptz,
    told_error  text not null default '',
    unique (purchase_id, name)
);
create index parcel_untold on parcel (id) where told_at is null;

create table order_event (
    id       bigint generated always as identity primary key,
    order_id bigint not null references customer_order on delete cascade,
    at       timestamptz not null default now(),
    by       text not null, -- a member, or empty for what happened by itself
    words    text not null
);
create index order_event_order on order_event (order_id, id);

-- How far a store's orders have been read, and how it tells us of new ones.
create table order_feed (
    store_id  bigint primary key references store on delete cascade,
    since     timestamptz not null,
    read_at   timestamptz,
    error     text not null default '',
    hook_key  text not null unique,
    secret    bytea,
    hooked_at timestamptz
);

-- What a store sent, as it came, sealed: it is answered once it is here, and worked through afterwards.
create table store_message (
    id          bigint generated always as identity primary key,
    store_id    bigint not null references store on delete cascade,
    message     text not null,
    body        bytea not null,
    received_at timestamptz not null default now(),
    unique (store_id, message)
);

create table rejected_order (
    store_id    bigint not null references store on delete cascade,
    store_order text not null,
    reason      text not null,
    at          timestamptz not null default now(),
    primary key (store_id, store_order)
);

-- After how many days since an order ended who bought is erased; 0 is never.
alter table store add column erase_after_days integer not null default 90;
alter table source add column takes_orders boolean not null default false;
create or replace view facts.store as select id, address, handle, name, currency, time_zone, markets, limits, state,
    erase_after_days from store;
create or replace view facts.source as select id, kind, name, state, takes_requests, takes_orders from source;
-- What was ever sold in a store as which variant, whether it is live or not.
create view facts.sold_variant as
    select l.store_id, l.product_id, v.store_variant, v.draft_variant_id, v.offer_variant_id, l.draft_id, l.id as listing_id
    from listing l join listing_variant v on v.listing_id = l.id;
create view facts.draft_variant_ever as select id, draft_id, offer_variant_id from draft_variant;

-- +goose Down
drop view facts.draft_variant_ever, facts.sold_variant;
drop view facts.store;
create view facts.store as select id, address, handle, name, currency, time_zone, markets, limits, state from store;
drop view facts.source;
create view facts.source as select id, kind, name, state, takes_requests from source;
alter table source drop column takes_orders;
alter table store drop column erase_after_days;
drop table rejected_order, store_message, order_feed, order_event, parcel, purchase_line, order_line, purchase, customer_order;
