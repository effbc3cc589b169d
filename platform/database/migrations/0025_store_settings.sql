-- +goose Up
-- A store is looked at by a person before anything is sold there; what it permits, and what it took back, is known.
alter table store drop constraint store_state_check;
alter table store
    add check (state in ('unconfirmed', 'connected', 'disconnected')),
    add column permissions text[] not null default '{}', -- what it permits, as the protocol names it; empty is not said
    add column problem     text not null default '',     -- disapproved, forbidden: how it refused us last
    add column included_tax text not null default '', -- what it said of tax in its prices, until it is accepted
    add column defaults    jsonb not null default '{}';  -- how drafts go there unless a run says otherwise

-- +goose Down
update store set state = 'disconnected' where state = 'unconfirmed';
alter table store drop constraint store_state_check;
alter table store add constraint store_state_check check (state in ('connected', 'disconnected')),
    drop column permissions, drop column problem, drop column included_tax, drop column defaults;
