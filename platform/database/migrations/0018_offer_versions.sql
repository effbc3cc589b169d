-- +goose Up
-- What an offer said before it changed, until when.
create table offer_version (
    offer_id    bigint not null references offer on delete cascade,
    said_until  timestamptz not null default now(),
    fingerprint bytea not null,
    title       text not null,
    currency    text not null,
    variants    jsonb not null, -- [{number, values, cost, stock}], in their order; stock is absent where it is not known
    primary key (offer_id, said_until)
);
create view facts.offer_version as select offer_id, said_until from offer_version;

-- +goose Down
drop view facts.offer_version;
drop table offer_version;
