-- +goose Up

-- What has to be known again word for word, such as the secret of an account at
-- a carrier: sealed with a key that is not in the database. What only has to be
-- recognised is hashed instead (users).
CREATE TABLE secrets (
  name       VARCHAR(200) NOT NULL PRIMARY KEY,
  key_id     CHAR(8) NOT NULL,
  sealed     VARBINARY(4096) NOT NULL,
  updated_at DATETIME(3) NOT NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Session tokens are kept as hashes from now on: whoever is signed in does so
-- once more.
DELETE FROM sessions;
