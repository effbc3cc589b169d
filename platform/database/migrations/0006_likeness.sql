-- +goose Up

-- What a picture is known by: see core/likeness. Empty is not looked at yet.
alter table picture
    add shapes  bigint[] not null default '{}',
    add outline bytea,
    add tint    integer not null default 0; -- red, green and blue of its middle, a byte each

-- A draft's pictures may be those of an offer that it was bought as before: "offer" and "at" say whose,
-- and which of its; without them it is the place-th of the draft's own offer. A variant shows one of them.
alter table draft_variant
    add picture integer,                             -- place in the draft's pictures; null is what its offer variant has
    alter offer_variant_id drop not null;            -- null where the supplier does not sell it

-- +goose Down
delete from draft_variant where offer_variant_id is null;
alter table draft_variant drop column picture, alter offer_variant_id set not null;
alter table picture drop column shapes, drop column outline, drop column tint;
