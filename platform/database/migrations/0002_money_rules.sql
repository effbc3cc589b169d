-- +goose Up

-- Money rules: every state a store's rules have had, the newest in force ------
create table money_rules (
    store_id    bigint not null references store,
    revision    integer not null,
    rules       jsonb not null, -- markup rules, fees and tax, import charges, typed rates, delivery
    what        text not null,  -- what changed, in words
    changed_by  text not null,
    changed_at  timestamptz not null default now(),
    taken_back  boolean not null default false, -- undone by a later revision
    freed       jsonb not null default '[]',    -- holds that this change ended: [{"draft_id": 1, "revision": 3}]
    primary key (store_id, revision)
);

-- What the interface could set until now: one rule, the fees, the promise.
insert into money_rules (store_id, revision, rules, what, changed_by, changed_at)
select m.store_id, m.revision, jsonb_build_object(
    'rules', jsonb_build_array(jsonb_build_object(
        'id', 1, 'conditions', '{}'::jsonb,
        'formula', jsonb_build_object('kind', r -> 'formula' -> 'kind', 'basis', 'landed', 'bands', jsonb_build_array(jsonb_build_object('from', jsonb_build_object('value', '0', 'currency', s.currency), 'ratio', r -> 'formula' -> 'ratio'))),
        'floor', jsonb_build_object('least_profit', r -> 'least_profit', 'least_margin', '0'),
        'ending', jsonb_build_object('allowed', case when r ->> 'ending' in ('none', '') then '[]'::jsonb else jsonb_build_array(r -> 'ending') end, 'up', false),
        'ceiling', jsonb_build_object('list', false, 'market', '0', 'caps', false),
        'was', jsonb_build_object('kind', 'none', 'percent', '0', 'ending', jsonb_build_object('allowed', '[]'::jsonb, 'up', false)))),
    'fees', jsonb_build_object('payment_percent', s.terms -> 'payment_percent', 'payment_fixed', s.terms -> 'payment_fixed', 'returns', s.terms -> 'returns',
        'tax_rate', s.terms -> 'tax', 'tax_included', s.terms ->> 'tax' <> '0'),
    'imports', '[]'::jsonb,
    'rates', jsonb_build_object('oldest_days', 4, 'typed', '[]'::jsonb),
    'delivery', jsonb_build_object('way', 'cheapest', 'otherwise', 'any_fastest'),
    'market', s.markets[1], 'promise_days', s.promise_days), 'the rules before money rules had a history', m.updated_by, m.updated_at
from markup_rules m join store s on s.id = m.store_id, lateral (select m.rules -> -1 as r) x;

drop table markup_rules;
alter table store drop column terms, drop column promise_days;

-- Drafts that stay with the rules of an earlier revision.
create table price_hold (
    store_id bigint not null references store,
    draft_id bigint not null references draft on delete cascade,
    revision integer not null, -- the rules that price it
    since    integer not null, -- the revision that left it behind
    primary key (store_id, draft_id)
);

-- What drafts sell for ---------------------------------------------------------
create table price (
    store_id         bigint not null references store,
    draft_id         bigint not null references draft on delete cascade,
    draft_variant_id bigint not null references draft_variant on delete cascade,
    price            bigint not null, -- minor units of the store's currency; 0 where there is none
    was              bigint not null, -- 0 where none is shown
    rule             integer not null, -- the id of the rule; 0 for a typed price
    marks            smallint not null,
    trouble          text not null,    -- why there is no price, in words
    landing          bytea not null,   -- how it landed, as a compact trace
    trace            bytea not null,   -- how the price came about from there
    primary key (store_id, draft_id, draft_variant_id)
) with (fillfactor = 65); -- a repricing finds room beside the row

create table reprice_run (
    id          bigint generated always as identity primary key,
    store_id    bigint not null references store,
    revision    integer, -- of the change it applies; none where rates or offers changed
    why         text not null,
    full_way    boolean not null, -- lands everything anew; otherwise what was stored
    state       text not null check (state in ('waiting', 'running', 'finished')),
    last_draft  bigint not null default 0, -- done up to this one
    drafts      integer not null default 0,
    seen        integer not null default 0, -- drafts
    moved       integer not null default 0, -- prices
    started_by  text not null,
    started_at  timestamptz not null default now(),
    finished_at timestamptz
);
create index reprice_run_store on reprice_run (store_id, id desc);

create table listing_price (
    listing_id       bigint not null references listing on delete cascade,
    draft_variant_id bigint not null,
    price            bigint not null, -- minor units of the store's currency, from this moment on
    at               timestamptz not null default now(),
    primary key (listing_id, draft_variant_id, at)
);

alter table listing add column trace jsonb not null default '[]'; -- how its lowest price came about

-- What rules ask about ----------------------------------------------------------
alter table draft add column collections text[] not null default '{}', add column tags text[] not null default '{}';
alter table draft_edit add column bulk_id bigint;
create index draft_variant_left on draft_variant (draft_id) where not chosen;
create index draft_edit_bulk on draft_edit (bulk_id) where bulk_id is not null;
create sequence bulk_edit;

alter table offer
    add column rivals integer not null default 0, -- stores that sell the item
    add column market_currency text not null default '',
    add column market_prices bigint[] not null default '{}'; -- seen there, lowest first
alter table offer_variant
    add column min_advertised bigint not null default 0, -- minor units of the offer's currency; 0 is none
    add column list_price bigint not null default 0;

-- +goose Down
alter table offer_variant drop column min_advertised, drop column list_price;
alter table offer drop column rivals, drop column market_currency, drop column market_prices;
alter table draft_edit drop column bulk_id;
drop index draft_variant_left;
drop sequence bulk_edit;
alter table draft drop column collections, drop column tags;
alter table listing drop column trace;
drop table listing_price, reprice_run, price, price_hold;
create table markup_rules (
    store_id   bigint primary key references store,
    rules      jsonb not null,
    revision   integer not null default 1,
    updated_at timestamptz not null default now(),
    updated_by text not null
);
drop table money_rules;
alter table store add column promise_days integer not null default 16, add column terms jsonb not null default '{}';
