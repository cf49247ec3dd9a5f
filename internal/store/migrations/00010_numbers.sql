-- +goose Up

-- By which version of the draft a row was written, so that what was read once is not
-- read again.
ALTER TABLE draft_rows ADD written BIGINT NOT NULL DEFAULT 0;

-- Numbers are kept in pages from now on: those of each span of revisions go on one page
-- of blocks and one of single numbers. What a draft said of single rows is given up with
-- its list of edits: no screen could write it.
DELETE FROM draft_edits;
DELETE FROM draft_rows WHERE kind = 'number';
SET SESSION group_concat_max_len = 1073741824;
INSERT INTO plan_rows (kind, id, first_revision, end_revision, name, in_table, place, body)
WITH bounds AS (
  SELECT first_revision AS r FROM plan_rows WHERE kind = 'number'
  UNION SELECT end_revision FROM plan_rows WHERE kind = 'number' AND end_revision IS NOT NULL
), spans AS (SELECT r, LEAD(r) OVER (ORDER BY r) AS until_r FROM bounds)
SELECT 'numbers', IF(JSON_VALUE(p.body, '$.last') IS NULL, 'singles-0', 'blocks-0'), s.r, s.until_r, '', '',
  IF(JSON_VALUE(p.body, '$.last') IS NULL, 4611686018427387904, 0),
  CONCAT('{"from":"0","blocks":', IF(JSON_VALUE(p.body, '$.last') IS NULL, 'false', 'true'), ',"numbers":[',
    GROUP_CONCAT(JSON_REMOVE(p.body, '$.id') ORDER BY LENGTH(JSON_VALUE(p.body, '$.first')), JSON_VALUE(p.body, '$.first') SEPARATOR ','), ']}')
FROM spans s JOIN plan_rows p ON p.kind = 'number' AND p.first_revision <= s.r AND (p.end_revision IS NULL OR p.end_revision > s.r)
GROUP BY s.r, s.until_r, JSON_VALUE(p.body, '$.last') IS NULL;
DELETE FROM plan_rows WHERE kind = 'number';
