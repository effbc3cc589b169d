-- +goose Up
-- A cost that moves by more than this factor at once waits until somebody approves it: mostly it is a slip of a decimal sign.
alter table source add max_cost_factor integer not null default 5;
-- The file seems to end within its last row.
alter table intake add cut_short boolean not null default false;
-- What the source says of an offer that no other fact holds, such as a least order quantity: sentences.
alter table offer add remarks text[] not null default '{}';
alter table staged_offer add remarks text[] not null default '{}';
-- The currencies of the minimum advertised and the list price, as "GBPUSD", where one is not that of the offer.
alter table offer_variant add prices_in text not null default '';
alter table staged_variant add prices_in text not null default '';

-- +goose Down
alter table staged_variant drop column prices_in;
alter table offer_variant drop column prices_in;
alter table staged_offer drop column remarks;
alter table offer drop column remarks;
alter table intake drop column cut_short;
alter table source drop column max_cost_factor;
