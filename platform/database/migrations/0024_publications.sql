-- +goose Up
-- A run is one act on drafts in one or several stores, each with settings of its own; it may begin later, and be paused.
alter table publish_run
    add column act       text not null default 'publish' check (act in ('publish', 'show', 'hide', 'take_down')),
    add column state     text not null default 'running' check (state in ('scheduled', 'running', 'paused', 'finished')),
    add column starts_at timestamptz;
update publish_run set state = 'finished' where finished_at is not null;

create table publish_target (
    run_id      bigint not null references publish_run on delete cascade,
    store_id    bigint not null references store,
    visible     boolean not null,
    sell_empty  boolean not null,
    by_rules    boolean not null default false, -- what the rules say, where a price was set by hand
    reserve     integer not null default 0,     -- units of each variant that the store does not show, at the least
    collections text[] not null default '{}',   -- beside the drafts' own
    -- How many items are in each state, kept by a trigger.
    held integer not null default 0, waiting integer not null default 0, sending integer not null default 0,
    published integer not null default 0, changed integer not null default 0, unchanged integer not null default 0,
    left_out integer not null default 0, failed integer not null default 0, unknown integer not null default 0,
    primary key (run_id, store_id)
);
insert into publish_target (run_id, store_id, visible, sell_empty, waiting, sending, published, failed)
    select r.id, r.store_id, r.visible, r.sell_empty, count(*) filter (where i.state = 'waiting'),
        count(*) filter (where i.state = 'sending'), count(*) filter (where i.state = 'published'),
        count(*) filter (where i.state = 'failed')
    from publish_run r left join publish_item i on i.run_id = r.id group by r.id;
alter table publish_run drop column store_id, drop column visible, drop column sell_empty;

alter table publish_item drop constraint publish_item_state_check, drop constraint publish_item_run_id_draft_id_key;
alter table publish_item add check (state in ('held', 'waiting', 'sending', 'published', 'changed', 'unchanged',
    'left_out', 'failed', 'unknown')), add unique (run_id, store_id, draft_id);
create index publish_item_unknown on publish_item (updated_at) where state = 'unknown';

-- +goose StatementBegin
create function count_publish_items() returns trigger language plpgsql as $$
begin
    if tg_op = 'INSERT' then
        update publish_target t set held = t.held + n.held, waiting = t.waiting + n.waiting,
            left_out = t.left_out + n.left_out, failed = t.failed + n.failed
        from (select run_id, store_id, count(*) filter (where state = 'held') as held,
                count(*) filter (where state = 'waiting') as waiting,
                count(*) filter (where state = 'left_out') as left_out,
                count(*) filter (where state = 'failed') as failed
            from now_is group by run_id, store_id order by run_id, store_id) n
        where t.run_id = n.run_id and t.store_id = n.store_id;
        return null;
    end if;
    -- Most updates say what an item is at and move nothing: then no count is written.
    update publish_target t set held = t.held + n.held, waiting = t.waiting + n.waiting, sending = t.sending + n.sending,
        published = t.published + n.published, changed = t.changed + n.changed, unchanged = t.unchanged + n.unchanged,
        left_out = t.left_out + n.left_out, failed = t.failed + n.failed, unknown = t.unknown + n.unknown
    from (select i.run_id, i.store_id,
            coalesce(sum(m.by) filter (where m.state = 'held'), 0) as held,
            coalesce(sum(m.by) filter (where m.state = 'waiting'), 0) as waiting,
            coalesce(sum(m.by) filter (where m.state = 'sending'), 0) as sending,
            coalesce(sum(m.by) filter (where m.state = 'published'), 0) as published,
            coalesce(sum(m.by) filter (where m.state = 'changed'), 0) as changed,
            coalesce(sum(m.by) filter (where m.state = 'unchanged'), 0) as unchanged,
            coalesce(sum(m.by) filter (where m.state = 'left_out'), 0) as left_out,
            coalesce(sum(m.by) filter (where m.state = 'failed'), 0) as failed,
            coalesce(sum(m.by) filter (where m.state = 'unknown'), 0) as unknown
        from now_is i join before b using (id), lateral (values (i.state, 1), (b.state, -1)) m (state, by)
        where i.state <> b.state group by i.run_id, i.store_id order by i.run_id, i.store_id) n
    where t.run_id = n.run_id and t.store_id = n.store_id;
    return null;
end $$;
-- +goose StatementEnd
create trigger publish_item_added after insert on publish_item
    referencing new table as now_is for each statement execute function count_publish_items();
create trigger publish_item_moved after update on publish_item
    referencing new table as now_is old table as before for each statement execute function count_publish_items();

-- A draft in a store: the key under which the store makes one product of it, and the fence that counts who sends it, so
-- that a worker who was overtaken is known as such.
create table publication (
    store_id bigint not null references store,
    draft_id bigint not null references draft on delete cascade,
    key      uuid not null default gen_random_uuid(),
    fence    bigint not null default 0,
    primary key (store_id, draft_id)
);
insert into publication (store_id, draft_id, key) select store_id, draft_id, key from product_key;
drop table product_key;

-- When the next request to a store may go, whoever sends it: its limit and its wishes to be left alone hold for all
-- instances together.
create table store_pace (
    store_id bigint primary key references store on delete cascade,
    next_at  timestamptz not null default '-infinity'
);

-- What a store has already: pictures are sent once.
create table store_picture (
    store_id bigint not null references store on delete cascade,
    hash     text not null,
    primary key (store_id, hash)
);

-- What was taken down goes with its draft.
alter table listing drop constraint listing_draft_id_fkey,
    add constraint listing_draft_id_fkey foreign key (draft_id) references draft on delete cascade;

-- A listing says what it shows without its product being read, and what the store shows now where somebody changed it
-- there.
alter table listing
    add column sell_empty  boolean not null default false,
    add column variants    integer not null default 0,
    add column lowest      bigint not null default 0, -- minor units of the store's currency
    add column highest     bigint not null default 0,
    add column settings    jsonb not null default '{}', -- with which its last run sent it
    add column edited      boolean not null default false, -- the draft was changed since
    add column moved       integer not null default 0, -- prices that are others here than those that were sent
    add column words       text not null default '', -- title and SKUs in lower case, to be found by
    add column differences jsonb not null default '[]', -- between what was sent and what the store showed at seen_at
    add column seen_at     timestamptz,
    add column gone        boolean not null default false, -- the store had it no more at seen_at
    add column checked_at  timestamptz,              -- the reading of the store that found its duplicates
    add column ended_at    timestamptz;              -- when it was taken down; its prices are kept
create table listing_variant (
    listing_id       bigint not null references listing on delete cascade,
    draft_variant_id bigint not null,
    store_variant    text not null default '', -- the store's own name for it
    offer_variant_id bigint,                   -- what it is bought as
    sku              text not null default '',
    price            bigint not null,          -- minor units of the store's currency
    stock            integer not null default 0,
    ladder           jsonb not null default '{}', -- what its price was made of when it was sent
    primary key (listing_id, draft_variant_id)
);
insert into listing_variant (listing_id, draft_variant_id, price)
    select distinct on (listing_id, draft_variant_id) listing_id, draft_variant_id, price from listing_price
    order by listing_id, draft_variant_id, at desc;
update listing l set variants = n.variants, lowest = n.lowest, highest = n.highest
    from (select listing_id, count(*) as variants, min(price) as lowest, max(price) as highest from listing_variant
        group by 1) n where n.listing_id = l.id;
update listing set words = lower(title);
-- Lists are read without what was sent, which is wide: it goes out of line.
alter table listing set (toast_tuple_target = 128);
alter table listing alter column sent set storage external, alter column trace set storage external;
create index listing_newest on listing (store_id, id desc) where ended_at is null;
create index listing_hidden on listing (store_id, id desc) where ended_at is null and not visible;
create index listing_edited on listing (store_id, id desc) where ended_at is null and edited;
create index listing_moved on listing (store_id, id desc) where ended_at is null and moved > 0;
create index listing_matter on listing (store_id, id desc)
    where ended_at is null and (gone or differences <> '[]' or duplicates <> '[]');

-- The revision at which what stores are sent was last changed.
alter table draft add column content_revision integer not null default 0;
update draft set content_revision = revision;
-- A listing knows at once that its draft was changed: each edit would need a statement more.
-- +goose StatementBegin
create function listing_was_edited() returns trigger language plpgsql as $$
begin
    update listing set edited = true where draft_id = new.id and ended_at is null and not edited;
    return null;
end $$;
-- +goose StatementEnd
create index listing_draft on listing (draft_id);
create trigger draft_content_changed after update of content_revision on draft
    for each row when (old.content_revision <> new.content_revision) execute function listing_was_edited();
create or replace view facts.draft as
    select id, offer_id, title, reference, content_revision from draft where discarded_at is null;
create or replace view facts.draft_ever as select id, offer_id, title, reference, content_revision from draft;
create or replace view facts.listing as
    select id, store_id, draft_id, offer_id, edited, moved from listing where ended_at is null;

-- +goose Down
drop trigger draft_content_changed on draft;
drop function listing_was_edited();
drop index listing_draft;
drop view facts.draft_ever;
create view facts.draft_ever as select id, offer_id, title from draft;
drop view facts.draft;
create view facts.draft as select id, offer_id, title, reference from draft where discarded_at is null;
alter table draft drop column content_revision;
drop index listing_newest, listing_hidden, listing_edited, listing_moved, listing_matter;
alter table listing reset (toast_tuple_target);
drop table listing_variant;
drop view facts.listing;
create view facts.listing as select id, store_id, draft_id, offer_id from listing;
alter table listing drop column sell_empty, drop column variants, drop column lowest, drop column highest,
    drop column settings, drop column edited, drop column moved, drop column words,
    drop column differences, drop column seen_at, drop column gone, drop column checked_at, drop column ended_at;
alter table listing drop constraint listing_draft_id_fkey,
    add constraint listing_draft_id_fkey foreign key (draft_id) references draft;
drop table store_picture;
drop table store_pace;
create table product_key (
    store_id bigint not null references store,
    draft_id bigint not null references draft on delete cascade,
    key      uuid not null default gen_random_uuid(),
    primary key (store_id, draft_id)
);
drop table publication;
drop trigger publish_item_added on publish_item;
drop trigger publish_item_moved on publish_item;
drop function count_publish_items();
alter table publish_run add column store_id bigint references store, add column visible boolean not null default true,
    add column sell_empty boolean not null default false;
update publish_run r set store_id = t.store_id, visible = t.visible, sell_empty = t.sell_empty
    from publish_target t where t.run_id = r.id;
delete from publish_item i using publish_run r where r.id = i.run_id and r.store_id <> i.store_id;
delete from publish_run where store_id is null;
alter table publish_run alter store_id set not null, alter visible drop default, alter sell_empty drop default,
    drop column act, drop column state, drop column starts_at;
drop table publish_target;
drop index publish_item_unknown;
alter table publish_item drop constraint publish_item_state_check;
update publish_item set state = 'published' where state in ('changed', 'unchanged');
update publish_item set state = 'failed' where state in ('held', 'left_out', 'unknown');
alter table publish_item drop constraint publish_item_run_id_store_id_draft_id_key;
alter table publish_item add check (state in ('waiting', 'sending', 'published', 'failed')), add unique (run_id, draft_id);
