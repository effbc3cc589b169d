-- +goose Up
-- Edits for several people: each is a list of operations (see core/edit) with what takes it back and the fields that it
-- touches. A draft knows of each field who changed it last, and at which revision.
alter table draft add changes jsonb not null default '{}'; -- field to {"revision", "member_id", "by", "at"}

-- A draft's pictures are known by where they were taken from, no longer by their index in the supplier's list, which
-- the supplier may put into another order.
update draft d set pictures = coalesce((
    select jsonb_agg(jsonb_build_object('id', (p ->> 'place')::int, 'shown', (p ->> 'shown')::boolean, 'url', u.url) order by n)
    from jsonb_array_elements(d.pictures) with ordinality x (p, n)
    cross join lateral (select o.pictures[case when p ? 'offer' then coalesce((p ->> 'at')::int, 0) else (p ->> 'place')::int end + 1] as url
        from offer o where o.id = coalesce((p ->> 'offer')::bigint, d.offer_id)) u
    where u.url is not null), '[]');
update draft_variant v set picture = w.picture from offer_variant w
    where w.id = v.offer_variant_id and v.picture is null and w.picture >= 0;
alter table draft_variant rename column picture to picture_id; -- the id of the draft's picture that it shows; null is none
create index picture_hash on picture (hash) where hash <> '';

alter table draft_edit
    add member_id  bigint references member on delete set null,
    add revision   integer not null default 0, -- of the draft, that the edit made
    add operations jsonb not null default '[]',
    add inverse    jsonb not null default '[]', -- the operations that take it back
    add fields     text[] not null default '{}',
    add undone_at  timestamptz,
    add undoes     bigint;                      -- the edit that this one took back
update draft_edit e set member_id = (select min(m.id) from member m where m.name = e.member);

-- What was edited before can be undone as before, but for a swapped supplier and what changed several parts at once.
update draft_edit e set
    fields = case e.what
        when 'contact details' then '{description}' when 'choice of variants' then '{chosen}'
        when 'price' then array(select 'price:' || e.store_id || ':' || v.id from draft_variant v where v.draft_id = e.draft_id)
        else array[e.what] end,
    inverse = jsonb_build_array(jsonb_build_object(
        'kind', case e.what when 'contact details' then 'description' else e.what end,
        'value', case e.what
            when 'title' then jsonb_build_object('title', e.before -> 'title')
            when 'description' then jsonb_build_object('description', e.before -> 'description')
            when 'contact details' then jsonb_build_object('description', e.before -> 'description')
            when 'collections' then jsonb_build_object('collections', coalesce(e.before -> 'collections', '[]'))
            when 'tags' then jsonb_build_object('tags', coalesce(e.before -> 'tags', '[]'))
            when 'options' then jsonb_build_object('options', e.before -> 'options')
            when 'choice of variants' then jsonb_build_object('chosen', e.before -> 'chosen')
            when 'pictures' then jsonb_build_object('pictures', (select jsonb_agg(jsonb_build_object('id', p -> 'place', 'shown', p -> 'shown') order by n)
                from jsonb_array_elements(e.before -> 'pictures') with ordinality x (p, n)))
            when 'price' then jsonb_build_object('store_id', e.store_id, 'prices', (select jsonb_agg(jsonb_build_object('variant_id', v.id, 'price',
                coalesce((select t -> 'price' from jsonb_array_elements(e.before -> 'manual_prices') t
                    where (t ->> 'variant_id')::bigint = v.id and (t ->> 'store_id')::bigint = e.store_id), '0')))
                from draft_variant v where v.draft_id = e.draft_id)) end))
where e.what in ('title', 'description', 'contact details', 'collections', 'tags', 'options', 'choice of variants', 'pictures')
    and e.before ? 'title' or e.what = 'price' and e.store_id is not null and e.before ? 'manual_prices';
delete from draft_edit where inverse = '[]' or member_id is null;
alter table draft_edit drop column before;
drop index draft_edit_draft;
create index draft_edit_draft on draft_edit (draft_id, member_id, id desc) where undone_at is null and undoes is null;

-- Pictures that wait to be fetched are named by where they are.
-- +goose StatementBegin
do $$ begin
    if to_regclass('river_job') is not null then
        update river_job set args = jsonb_build_object('URLs', coalesce((select jsonb_agg(u) from offer o cross join unnest(o.pictures) u
            where o.id in (select value::bigint from jsonb_array_elements_text(args -> 'Offers'))), '[]'))
            where kind = 'fetch_pictures' and args ? 'Offers';
    end if;
end $$;
-- +goose StatementEnd

-- +goose Down
drop index draft_edit_draft;
delete from draft_edit;
alter table draft_edit drop column member_id, drop column revision, drop column operations, drop column inverse,
    drop column fields, drop column undone_at, drop column undoes, add before jsonb not null default '{}';
create index draft_edit_draft on draft_edit (draft_id, id desc);
drop index picture_hash;
alter table draft_variant rename column picture_id to picture;
update draft d set pictures = coalesce((
    select jsonb_agg(jsonb_build_object('place', (p ->> 'id')::int, 'shown', (p ->> 'shown')::boolean, 'offer', o.id, 'at', o.at) order by n)
    from jsonb_array_elements(d.pictures) with ordinality x (p, n)
    cross join lateral (select o.id, u.n - 1 as at from offer o cross join unnest(o.pictures) with ordinality u (url, n)
        where u.url = p ->> 'url' order by o.id = d.offer_id desc limit 1) o), '[]');
alter table draft drop column changes;
