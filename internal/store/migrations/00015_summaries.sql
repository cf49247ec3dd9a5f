-- +goose Up

-- Which side ended an answered call.
ALTER TABLE calls ADD released_by VARCHAR(10) NOT NULL DEFAULT '';

-- A call in one narrow row, newest first on the disk: what lists show and searches look at
-- without reading trails. Rows of older calls are made in the background.
CREATE TABLE call_summaries (
  started_at       DATETIME(3) NOT NULL,
  id               CHAR(24) NOT NULL,
  switch_id        VARCHAR(63) NOT NULL,
  answered_at      DATETIME(3) NULL,
  ended_at         DATETIME(3) NULL,
  trunk_in_id      VARCHAR(63) NOT NULL,
  trunk_in         VARCHAR(200) NOT NULL,
  trunk_out_id     VARCHAR(63) NOT NULL,
  trunk_out        VARCHAR(200) NOT NULL,
  caller           VARCHAR(100) NOT NULL,
  called_in        VARCHAR(100) NOT NULL,
  called_out       VARCHAR(100) NOT NULL,
  attempts         INT NOT NULL,
  outcome          VARCHAR(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  q850             SMALLINT NOT NULL,
  sip              SMALLINT NOT NULL,
  why              VARCHAR(300) NOT NULL,
  media            VARCHAR(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  silent           VARCHAR(200) NOT NULL,
  last_resort      BOOLEAN NOT NULL,
  trial            BOOLEAN NOT NULL,
  post_dial_ms     INT NOT NULL,
  ring_ms          INT NOT NULL,
  codec            VARCHAR(40) NOT NULL,
  released_by      VARCHAR(10) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  PRIMARY KEY (started_at, id),
  UNIQUE KEY by_id (id),
  KEY by_trunk_in (trunk_in_id, started_at),
  KEY by_trunk_out (trunk_out_id, started_at),
  KEY by_outcome (outcome, started_at),
  KEY by_cause (q850, started_at)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- The digits of a call's numbers, forward and backward, so that a number is found by its first
-- and by its last digits.
CREATE TABLE call_numbers (
  digits     VARCHAR(40) NOT NULL,
  started_at DATETIME(3) NOT NULL,
  id         CHAR(24) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  backward   VARCHAR(40) AS (REVERSE(digits)) PERSISTENT,
  PRIMARY KEY (digits, started_at, id),
  KEY by_end (backward, started_at),
  KEY by_call (id)
) CHARACTER SET ascii COLLATE ascii_bin;

-- How long the calls to a trunk lasted, how soon they rang, and how many channels were in use.
ALTER TABLE trunk_answers
  ADD ended    INT NOT NULL DEFAULT 0,
  ADD talk_ms  BIGINT NOT NULL DEFAULT 0,
  ADD rang     INT NOT NULL DEFAULT 0,
  ADD delay_ms BIGINT NOT NULL DEFAULT 0,
  ADD peak     INT NOT NULL DEFAULT 0;

-- How often rules matched, by the hour.
CREATE TABLE rule_matches (
  rule    VARCHAR(63) NOT NULL,
  hour    DATETIME NOT NULL,
  calls   BIGINT NOT NULL,
  last_at DATETIME(3) NOT NULL,
  PRIMARY KEY (rule, hour),
  KEY by_hour (hour)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
