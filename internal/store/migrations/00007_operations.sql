-- +goose Up

-- Operational state: it acts at once, is in no revision of the plan, and
-- outlasts the process.

-- From where far ends have registered with us.
CREATE TABLE registrations (
  trunk      VARCHAR(63) NOT NULL,
  account    VARCHAR(63) NOT NULL,
  place      INT NOT NULL,
  expires_at DATETIME(3) NOT NULL,
  body       TEXT NOT NULL,
  PRIMARY KEY (trunk, account, place)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Sources that are shut out.
CREATE TABLE blocks (
  source     VARCHAR(64) NOT NULL PRIMARY KEY,
  since      DATETIME(3) NOT NULL,
  until_at   DATETIME(3) NOT NULL,
  why        VARCHAR(500) NOT NULL,
  who        VARCHAR(100) NOT NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Trunks that are out of service, or take no new calls.
CREATE TABLE services (
  trunk      VARCHAR(63) NOT NULL PRIMARY KEY,
  word       VARCHAR(20) NOT NULL,
  since      DATETIME(3) NOT NULL,
  until_at   DATETIME(3) NULL,
  why        VARCHAR(500) NOT NULL,
  who        VARCHAR(100) NOT NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- What a trunk's state became, and when.
CREATE TABLE trunk_states (
  trunk      VARCHAR(63) NOT NULL,
  at         DATETIME(3) NOT NULL,
  word       VARCHAR(20) NOT NULL,
  cause      VARCHAR(500) NOT NULL,
  PRIMARY KEY (trunk, at)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Who did what to operational state.
CREATE TABLE audit (
  id     BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at     DATETIME(3) NOT NULL,
  who    VARCHAR(100) NOT NULL,
  what   VARCHAR(500) NOT NULL,
  KEY by_time (at)
) CHARACTER SET utf8mb4;
