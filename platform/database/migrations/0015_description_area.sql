-- +goose Up
-- The part of a draft that holds its title and description has one name everywhere.
update publish_item set area = 'description' where area = 'words';
