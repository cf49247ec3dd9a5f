-- +goose Up

-- Who edited the draft: an edit is undone by its author, and a change bears its last one.
ALTER TABLE draft_edits ADD who VARCHAR(200) NOT NULL DEFAULT '';
ALTER TABLE draft_rows ADD who VARCHAR(200) NOT NULL DEFAULT '';
ALTER TABLE trial_rows ADD who VARCHAR(200) NOT NULL DEFAULT '';
