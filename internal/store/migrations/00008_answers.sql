-- +goose Up

-- Who is shut out of signing in outlasts the process too.
ALTER TABLE blocks ADD COLUMN gate VARCHAR(10) NOT NULL DEFAULT 'calls', DROP PRIMARY KEY, ADD PRIMARY KEY (gate, source);

-- What came of the calls that were sent to a trunk, by slots of 15 minutes.
CREATE TABLE trunk_answers (
  trunk      VARCHAR(63) NOT NULL,
  at         DATETIME NOT NULL,
  sent       INT NOT NULL,
  answered   INT NOT NULL,
  wait_ms    BIGINT NOT NULL,
  PRIMARY KEY (trunk, at)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
