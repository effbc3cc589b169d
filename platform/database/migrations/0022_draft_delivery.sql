-- +goose Up
-- The delivery that a draft's prices assume, by its supplier's name for it; empty is as the money rules say.
alter table draft add column delivery text not null default '';

-- +goose Down
alter table draft drop column delivery;
