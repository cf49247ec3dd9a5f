-- +goose Up

-- A message belongs to a leg by our own id, which is made of how the leg's protocol names it
-- (record.LegID), and says its protocol and what carried it.
ALTER TABLE messages
  ADD leg_id   CHAR(24) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
  ADD protocol VARCHAR(16) NOT NULL DEFAULT 'sip',
  ADD carriage VARCHAR(8) NOT NULL DEFAULT '';
UPDATE messages SET leg_id = LEFT(SHA2(CONCAT('sip\n', leg_call_id), 256), 24) WHERE leg_call_id <> '';
ALTER TABLE messages DROP KEY by_leg, DROP COLUMN leg_call_id, ADD KEY by_leg (leg_id);
ALTER TABLE messages ALTER protocol DROP DEFAULT;

ALTER TABLE call_legs ADD leg_id CHAR(24) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '';
UPDATE call_legs SET leg_id = LEFT(SHA2(CONCAT('sip\n', leg_call_id), 256), 24);
ALTER TABLE call_legs DROP PRIMARY KEY, DROP COLUMN leg_call_id, ADD PRIMARY KEY (leg_id, call_id);
