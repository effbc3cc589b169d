-- +goose Up
-- What a store without an API is to show: it is served by files, which are written from here.
create table file_product (
    store_id   bigint not null references store on delete cascade,
    id         text not null,
    key        text not null,   -- under which it was made, so that it is made once
    product    jsonb not null,
    updated_at timestamptz not null default now(),
    primary key (store_id, id),
    unique (store_id, key)
);

-- +goose Down
drop table file_product;
