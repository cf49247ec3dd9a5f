-- +goose Up

-- What each edit of the draft replaced, so that it can be undone: the newest
-- edits since the last go-live.
CREATE TABLE draft_edits (
  version BIGINT NOT NULL PRIMARY KEY,
  replaced LONGTEXT NOT NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
