-- +goose Up
-- Whether single letters act as keys for a member: by themselves, with Alt alone, or not at all.
alter table member add letter_keys text not null default 'plain' check (letter_keys in ('plain', 'alt', 'off'));

-- +goose Down
alter table member drop column letter_keys;
