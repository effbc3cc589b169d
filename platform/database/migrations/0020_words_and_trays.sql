-- +goose Up
-- Trays group drafts; the drafts of one that is put aside are left out of the list until it is asked for.
create table tray (
    id       bigint generated always as identity primary key,
    name     text not null check (name <> ''),
    position integer not null default 0,
    aside    boolean not null default false
);
create unique index tray_name on tray (lower(name));

alter table draft
    add column type               text not null default '',
    add column vendor             text not null default '', -- empty is the shop itself
    add column search_title       text not null default '',
    add column search_description text not null default '',
    add column own                jsonb not null default '{}', -- {"3": {"title": "...", "description": "..."}}, by store
    add column reserve            integer not null default 0 check (reserve >= 0), -- units kept back of each variant
    add column tray_id            bigint references tray on delete set null;
create index draft_tray on draft (tray_id, id desc);
alter table draft_variant
    add column sku     text not null default '', -- empty is made of the draft's number
    add column barcode text not null default ''; -- empty is the supplier's
create unique index draft_variant_sku on draft_variant (lower(sku)) where sku <> '';

-- The seller's lists for titles: what is noise, what is written just so, what may not be used. Absent are the standard ones.
create table wording (
    only_row boolean primary key default true check (only_row),
    rules    jsonb not null,
    unwanted jsonb not null
);

-- +goose Down
drop table wording;
alter table draft_variant drop column sku, drop column barcode;
alter table draft drop column type, drop column vendor, drop column search_title, drop column search_description,
    drop column own, drop column reserve, drop column tray_id;
drop table tray;
