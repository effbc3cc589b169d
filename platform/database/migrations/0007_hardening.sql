-- +goose Up

-- One row: which data folder belongs to this database, so that an instance with another is refused.
create table installation (
    one         boolean primary key default true check (one),
    data_folder text not null
);

-- Files that were sent, so that those nothing came of are let go.
create table upload (
    file text primary key, -- the blob
    at   timestamptz not null default now()
);

-- Members: who may no longer sign in, and sessions that have ended --------------
alter table member
    add disabled_at   timestamptz,
    add session_epoch integer not null default 1; -- sessions of an earlier epoch have ended
alter table api_token add expires_at timestamptz;

-- Attempts to sign in, counted before a password is hashed, by all instances.
create table sign_in_attempt (
    id      bigint generated always as identity primary key,
    at      timestamptz not null default now(),
    email   text not null,
    network text not null,                 -- an IPv4 address or the first 64 bits of an IPv6 address
    known   boolean not null               -- from a device that the member has signed in with before
);
create index sign_in_attempt_email on sign_in_attempt (email, at);
create index sign_in_attempt_network on sign_in_attempt (network, at);
create table known_device (
    member_id bigint not null references member on delete cascade,
    hash      bytea not null,
    used_at   timestamptz not null default now(),
    primary key (member_id, hash)
);

-- Each attempt to connect a store comes back to an address of its own.
delete from store_approval;
alter table store_approval add attempt text not null unique, add issuer text not null default '';

-- Imports are tried again within minutes.
alter table intake
    add tries    integer not null default 0, -- failures of the source that were waited out
    add retry_at timestamptz;                -- when it is read again

-- Publishing: one open piece of work for a draft and store, one key until a product is made.
alter table publish_item add store_id bigint references store;
update publish_item i set store_id = r.store_id from publish_run r where r.id = i.run_id;
update publish_item i set state = 'failed', reason = 'Another run published it at the same time.'
    where state in ('waiting', 'sending') and exists (select from publish_item e where e.store_id = i.store_id and e.draft_id = i.draft_id and e.state in ('waiting', 'sending') and e.id < i.id);
alter table publish_item alter store_id set not null;
create unique index publish_item_alone on publish_item (store_id, draft_id) where state in ('waiting', 'sending');
create table product_key (
    store_id bigint not null references store,
    draft_id bigint not null references draft on delete cascade,
    key      uuid not null default gen_random_uuid(),
    primary key (store_id, draft_id)
);
alter table listing add duplicates jsonb not null default '[]'; -- further products of the draft in the store: [{"id": "", "url": ""}]

-- A saved search keeps the currency of its amounts.
alter table saved_sentence add currency text not null default '';

-- Whose prices an edit changed: undo in one store never touches another's.
alter table draft_edit add store_id bigint references store; -- null where it changed no price

-- +goose Down
alter table draft_edit drop column store_id;
alter table saved_sentence drop column currency;
alter table listing drop column duplicates;
drop table product_key;
drop index publish_item_alone;
alter table publish_item drop column store_id;
alter table intake drop column tries, drop column retry_at;
alter table store_approval drop column attempt, drop column issuer;
drop table known_device, sign_in_attempt;
alter table api_token drop column expires_at;
alter table member drop column disabled_at, drop column session_epoch;
drop table upload, installation;
