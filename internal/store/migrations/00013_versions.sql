-- +goose Up

-- Rows that hold objects of a plan, or a trail, name the version of what is in them. Those that
-- are there are of version 1: objects are upgraded before the store opens, trails as they are read.
ALTER TABLE plan_rows   ADD version SMALLINT NOT NULL DEFAULT 1;
ALTER TABLE draft_rows  ADD version SMALLINT NOT NULL DEFAULT 1;
ALTER TABLE trial_rows  ADD version SMALLINT NOT NULL DEFAULT 1;
ALTER TABLE draft_edits ADD format_version SMALLINT NOT NULL DEFAULT 1;
ALTER TABLE calls       ADD trail_version SMALLINT NOT NULL DEFAULT 1;
ALTER TABLE plan_rows   ALTER version SET DEFAULT 2, ADD KEY by_version (version);
ALTER TABLE draft_rows  ALTER version SET DEFAULT 2, ADD KEY by_version (version);
ALTER TABLE trial_rows  ALTER version SET DEFAULT 2, ADD KEY by_version (version);
ALTER TABLE draft_edits ALTER format_version SET DEFAULT 2;
ALTER TABLE calls       ALTER trail_version SET DEFAULT 2;

-- What a check proved is compared by the fingerprints of what it touched, and those of version 1
-- are none of version 2: every check counts as not run since the change.
DELETE FROM check_runs;

ALTER TABLE overrides CHANGE hours calendar VARCHAR(63) NOT NULL;
