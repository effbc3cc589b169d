-- +goose Up
-- Counts what moved of an order that bears on its cost; the one that its cost and profit were worked out at last. Where
-- they differ, it is to be worked out anew, whoever ended before that.
alter table customer_order add revision int not null default 1, add estimated_revision int not null default 0;
update customer_order set estimated_revision = 1;
create index customer_order_stale on customer_order (estimated_at) where estimated_revision <> revision;
-- Those that may be late, the newest first: they are listed before all others.
create index customer_order_open on customer_order (placed_at desc, id desc)
    where archived_at is null and state not in ('delivered', 'cancelled', 'not_ours');

-- +goose Down
drop index customer_order_open, customer_order_stale;
alter table customer_order drop column revision, drop column estimated_revision;
