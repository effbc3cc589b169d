-- +goose Up
-- How the packing slips of a store look, and whether they go to suppliers with each purchase.
create table slip_settings (
    store_id   bigint primary key references store on delete cascade,
    paper      text not null default 'a6' check (paper in ('a6', 'a5', 'letter')),
    language   text not null default 'en',
    words      text not null default '',
    sends      boolean not null default false,
    logo       bytea -- a JPEG
);
-- What is written to the supplier of a purchase, and what it answers; key is the source's name for it.
create table purchase_message (
    id            bigint generated always as identity primary key,
    purchase_id   bigint not null references purchase on delete cascade,
    key           text not null,
    from_supplier boolean not null default false,
    words         text not null,
    by            text not null default '',
    at            timestamptz not null default now(),
    sent_at       timestamptz,
    error         text not null default '',
    unique (purchase_id, key)
);
create index purchase_message_unsent on purchase_message (id) where sent_at is null;
alter table source add takes_documents boolean not null default false, add takes_messages boolean not null default false;
create or replace view facts.source as select id, kind, name, state, takes_requests, takes_orders,
    order_address <> '' as by_invoice, takes_documents, takes_messages from source;

-- +goose Down
drop view facts.source;
create view facts.source as select id, kind, name, state, takes_requests, takes_orders,
    order_address <> '' as by_invoice from source;
alter table source drop column takes_documents, drop column takes_messages;
drop table purchase_message, slip_settings;
