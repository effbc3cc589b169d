-- +goose Up
-- What a line is bought as for its order alone, where that is not what its draft says; and that it is not bought at all.
alter table order_line add bought_as bigint, add left_out_at timestamptz;
-- What a store has given back to the customer, in minor units of the order's currency.
alter table customer_order add refunded bigint not null default 0;

-- What went wrong with a purchase after it was sent, and what the supplier owes for it.
create table claim (
    id          bigint generated always as identity primary key,
    purchase_id bigint not null references purchase on delete cascade,
    kind        text not null check (kind in ('lost', 'returned', 'wrong', 'damaged', 'short')),
    words       text not null,
    due_on      date not null, -- the last day on which the supplier takes it
    state       text not null default 'open' check (state in ('open', 'settled', 'written_off')),
    recovered   bigint not null default 0, -- what the supplier gave back, minor units of its currency
    recovered_here bigint not null default 0, -- the same in the store's currency, at the rate of that day
    rate        text not null default '',
    opened_at   timestamptz not null default now(),
    opened_by   text not null,
    closed_at   timestamptz,
    closed_by   text not null default ''
);
create index claim_purchase on claim (purchase_id);
create index claim_open on claim (due_on) where state = 'open';

-- A refund that a person asked a store for; the store makes one of one key.
create table refund (
    id       bigint generated always as identity primary key,
    order_id bigint not null references customer_order on delete cascade,
    key      uuid not null default gen_random_uuid(),
    amount   bigint not null, -- minor units of the order's currency
    reason   text not null,
    by       text not null,
    at       timestamptz not null default now(),
    made_at  timestamptz,
    error    text not null default ''
);
create index refund_order on refund (order_id);

-- Which orders of a store are bought without a person, and when. Amounts are minor units of the store's currency.
create table auto_buy (
    store_id       bigint primary key references store on delete cascade,
    enabled        boolean not null default false,
    under          bigint, -- what the customer paid at most; null is any
    least_profit   bigint not null default 0,
    within_promise boolean not null default true,
    daily_limit    bigint, -- landed; null is without limit
    times          text[] not null default '{}', -- of the day in the store's time zone, such as 10:00
    changed_by     text not null default '',
    changed_at     timestamptz not null default now(),
    last_run_at    timestamptz not null default now()
);
alter table purchase add automatic boolean not null default false;
-- Why it was not bought without a person the last time.
alter table customer_order add auto_waits text not null default '';

-- Opens the page on which a customer follows an order.
alter table customer_order add track_key uuid not null default gen_random_uuid();
create unique index customer_order_track on customer_order (track_key);

-- Who bought is found by: keyed hashes of the words of the name and of the mail address; null is not worked out yet.
alter table customer_order add who bigint[];
create index customer_order_who on customer_order using gin (who);
-- After how many days since it ended an order is archived; 0 is never. The shop's own telephone goes to suppliers where
-- a customer gave none.
alter table store add column archive_after_days integer not null default 0, add column phone text not null default '';
create or replace view facts.store as select id, address, handle, name, currency, time_zone, markets, limits, state,
    erase_after_days, archive_after_days, phone from store;

-- Where a wholesaler takes orders as documents; it is paid by its invoice, outside.
alter table source add column order_address text not null default '';
alter table purchase add column by_invoice boolean not null default false;
create or replace view facts.source as select id, kind, name, state, takes_requests, takes_orders,
    order_address <> '' as by_invoice from source;

-- Who works on orders without seeing costs.
alter table member drop constraint member_role_check, add constraint member_role_check
    check (role in ('owner', 'editor', 'fulfiller', 'order_handler'));
alter table api_token drop constraint api_token_role_check, add constraint api_token_role_check
    check (role in ('owner', 'editor', 'fulfiller', 'order_handler'));

-- +goose Down
alter table member drop constraint member_role_check, add constraint member_role_check
    check (role in ('owner', 'editor', 'fulfiller'));
alter table api_token drop constraint api_token_role_check, add constraint api_token_role_check
    check (role in ('owner', 'editor', 'fulfiller'));
alter table purchase drop column by_invoice;
drop view facts.source;
create view facts.source as select id, kind, name, state, takes_requests, takes_orders from source;
alter table source drop column order_address;
drop view facts.store;
create view facts.store as select id, address, handle, name, currency, time_zone, markets, limits, state,
    erase_after_days from store;
alter table store drop column archive_after_days, drop column phone;
alter table customer_order drop column who;
alter table customer_order drop column track_key;
alter table customer_order drop column auto_waits;
alter table purchase drop column automatic;
drop table auto_buy, refund, claim;
alter table customer_order drop column refunded;
alter table order_line drop column bought_as, drop column left_out_at;
