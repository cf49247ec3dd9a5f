-- +goose Up

-- The rows of one revision and the rows of one list are found without reading
-- the others.
ALTER TABLE plan_rows
  ADD KEY by_first (first_revision),
  ADD KEY by_list (kind, in_table, place);

-- An edit that replaced the whole draft is now told apart.
DELETE FROM draft_edits;
