-- +goose Up
-- The oldest versions are looked for each hour; they lie together, as they were written.
create index on offer_version using brin (said_until);

-- +goose Down
drop index offer_version_said_until_idx;
