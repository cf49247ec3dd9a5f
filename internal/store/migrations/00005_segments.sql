-- +goose Up

-- Messages are bytes in segment files; this is where each of them lies. Rows of
-- a segment go when it expires. Messages that were recorded as rows before are
-- given up.
DROP TABLE messages;

CREATE TABLE messages (
  segment     BIGINT NOT NULL,
  place       BIGINT NOT NULL,
  length      INT NOT NULL,
  switch_id   VARCHAR(63) NOT NULL,
  seq         BIGINT NOT NULL,
  at          DATETIME(6) NOT NULL,
  outbound    BOOLEAN NOT NULL,
  local_addr  VARCHAR(60) NOT NULL,
  remote_addr VARCHAR(60) NOT NULL,
  leg_call_id VARBINARY(255) NOT NULL,
  PRIMARY KEY (segment, place),
  KEY by_leg (leg_call_id)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
