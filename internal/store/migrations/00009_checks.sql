-- +goose Up

-- What came of each check when it was last run on the draft, and how the objects of the
-- plan stood that had a part in it.
CREATE TABLE check_runs (
  id      VARCHAR(63) NOT NULL PRIMARY KEY,
  ran_at  DATETIME(3) NOT NULL,
  who     VARCHAR(100) NOT NULL,
  asked   VARCHAR(32) NOT NULL,
  body    LONGTEXT NOT NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
