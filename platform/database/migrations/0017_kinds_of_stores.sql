-- +goose Up
-- A store is of a kind, whose driver keeps for itself where things are done.
alter table store add kind text not null default 'store platform', add endpoints jsonb not null default '{}';
update store set endpoints = jsonb_build_object('api', api, 'revocation_endpoint', revocation);
alter table store drop column api, drop column revocation, alter kind drop default, alter endpoints drop default;
delete from store_approval; -- an attempt to connect lasts a quarter of an hour
alter table store_approval drop column endpoints, add kind text not null, add description jsonb not null;

-- +goose Down
delete from store_approval;
alter table store_approval drop column kind, drop column description, add endpoints jsonb not null;
alter table store add api text not null default '', add revocation text not null default '';
update store set api = coalesce(endpoints ->> 'api', ''), revocation = coalesce(endpoints ->> 'revocation_endpoint', '');
alter table store alter api drop default, drop column kind, drop column endpoints;
