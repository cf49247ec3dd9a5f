-- +goose Up

-- One row: which revision is live, and a number that every edit of the draft
-- raises, so that a go-live can tell whether it commits what it prepared.
CREATE TABLE plan_state (
  id            TINYINT NOT NULL PRIMARY KEY,
  name          VARCHAR(200) NOT NULL,
  live_revision BIGINT NOT NULL,
  draft_version BIGINT NOT NULL
);

CREATE TABLE revisions (
  id         BIGINT NOT NULL PRIMARY KEY,
  created_at DATETIME(3) NOT NULL,
  who        VARCHAR(100) NOT NULL,
  note       TEXT NOT NULL,
  changes    INT NOT NULL
);

-- Every object of the plan with the range of revisions in which it holds:
-- from first_revision up to, not including, end_revision.
CREATE TABLE plan_rows (
  kind           VARCHAR(20) NOT NULL,
  id             VARCHAR(63) NOT NULL,
  first_revision BIGINT NOT NULL,
  end_revision   BIGINT NULL,
  name           VARCHAR(200) NOT NULL,
  in_table       VARCHAR(63) NOT NULL,
  place          BIGINT NOT NULL,
  body           MEDIUMTEXT NOT NULL,
  PRIMARY KEY (kind, id, first_revision),
  KEY by_end (end_revision)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- The draft is what differs from the live plan: an object as it is to be, or
-- that it is to go.
CREATE TABLE draft_rows (
  kind     VARCHAR(20) NOT NULL,
  id       VARCHAR(63) NOT NULL,
  gone     BOOLEAN NOT NULL,
  name     VARCHAR(200) NOT NULL,
  in_table VARCHAR(63) NOT NULL,
  place    BIGINT NOT NULL,
  body     MEDIUMTEXT NOT NULL,
  PRIMARY KEY (kind, id)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE users (
  name          VARCHAR(100) NOT NULL PRIMARY KEY,
  password_hash VARCHAR(200) NOT NULL,
  created_at    DATETIME(3) NOT NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- As the session library wants it.
CREATE TABLE sessions (
  token  CHAR(43) PRIMARY KEY,
  data   BLOB NOT NULL,
  expiry TIMESTAMP(6) NOT NULL,
  KEY sessions_expiry_idx (expiry)
);

CREATE TABLE calls (
  id          CHAR(24) NOT NULL PRIMARY KEY,
  switch_id   VARCHAR(63) NOT NULL,
  revision    BIGINT NOT NULL,
  started_at  DATETIME(3) NOT NULL,
  answered_at DATETIME(3) NULL,
  ended_at    DATETIME(3) NULL,
  release_how VARCHAR(200) NOT NULL,
  legs        MEDIUMTEXT NOT NULL,
  trail       MEDIUMTEXT NOT NULL,
  stamps      TEXT NOT NULL,
  KEY by_start (started_at)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Call-IDs are compared byte by byte (RFC 3261 section 20.8).
CREATE TABLE call_legs (
  leg_call_id VARBINARY(255) NOT NULL,
  call_id     CHAR(24) NOT NULL,
  place       INT NOT NULL,
  PRIMARY KEY (leg_call_id, call_id),
  KEY by_call (call_id)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE messages (
  id          BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  switch_id   VARCHAR(63) NOT NULL,
  seq         BIGINT NOT NULL,
  at          DATETIME(6) NOT NULL,
  outbound    BOOLEAN NOT NULL,
  local_addr  VARCHAR(60) NOT NULL,
  remote_addr VARCHAR(60) NOT NULL,
  leg_call_id VARBINARY(255) NOT NULL,
  bytes       MEDIUMBLOB NOT NULL,
  KEY by_leg (leg_call_id)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
