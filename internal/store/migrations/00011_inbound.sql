-- +goose Up

-- Calendars that are or were set by hand: operational state, in no revision.
CREATE TABLE overrides (
  hours    VARCHAR(63) NOT NULL,
  since    DATETIME(3) NOT NULL,
  state    VARCHAR(40) NOT NULL,
  until_at DATETIME(3) NULL,
  why      VARCHAR(500) NOT NULL,
  who      VARCHAR(200) NOT NULL,
  ended_at DATETIME(3) NULL,
  PRIMARY KEY (hours, since),
  KEY by_end (ended_at)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- A plan that is tried on some calls: the rows that the draft had of its own, on which
-- revision, and whose calls it decides. One at most.
CREATE TABLE trials (
  id            TINYINT NOT NULL PRIMARY KEY,
  draft_version BIGINT NOT NULL,
  base_revision BIGINT NOT NULL,
  scopes        TEXT NOT NULL,
  since         DATETIME(3) NOT NULL,
  who           VARCHAR(100) NOT NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE trial_rows LIKE draft_rows;

-- Numbers that calls from outside were for, as they were learnt.
CREATE TABLE arrivals (
  number   VARCHAR(40) NOT NULL PRIMARY KEY,
  trunk    VARCHAR(63) NOT NULL,
  first_at DATETIME(3) NOT NULL,
  last_at  DATETIME(3) NOT NULL,
  calls    BIGINT NOT NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
